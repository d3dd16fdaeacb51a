package peers

import (
	"bytes"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"upperpath.example/upperpath/internal/core/plan"
	"upperpath.example/upperpath/internal/files"
	"upperpath.example/upperpath/internal/stage"
)

// apache is a real Apache that carries the doors of one carrier of an estate, by its server's
// configuration or by one .htaccess.
type apache struct {
	listening
	folder bool // by .htaccess
}

const apacheModules = `LoadModule mpm_event_module /usr/lib/apache2/modules/mod_mpm_event.so
LoadModule authz_core_module /usr/lib/apache2/modules/mod_authz_core.so
LoadModule alias_module /usr/lib/apache2/modules/mod_alias.so
LoadModule rewrite_module /usr/lib/apache2/modules/mod_rewrite.so
LoadModule headers_module /usr/lib/apache2/modules/mod_headers.so
LoadModule socache_shmcb_module /usr/lib/apache2/modules/mod_socache_shmcb.so
LoadModule ssl_module /usr/lib/apache2/modules/mod_ssl.so
LoadModule http2_module /usr/lib/apache2/modules/mod_http2.so
`

// startApacheOn writes the configuration with the built program, checks it with apache2 -t, and
// starts Apache on it.
func startApacheOn(t *testing.T, estate string, folder bool) *apache {
	t.Helper()
	return startApacheIn(t, estate, folder, "")
}

// startApacheIn is startApacheOn with folders whose names begin with a text.
func startApacheIn(t *testing.T, estate string, folder bool, named string) *apache {
	t.Helper()
	binary := peer(t, "apache2")
	dir := t.TempDir()
	require.NoError(t, os.Chmod(filepath.Dir(dir), 0o755))
	a := &apache{listening: newListening(t), folder: folder}
	e, err := files.ReadEstate(estate)
	require.NoError(t, err)
	p := plan.Make(plan.Input{Estate: e.Estate, Rules: e.Rules, SiteRules: e.SiteRules})
	var names []string
	for _, c := range p.Certificates {
		names = append(names, c.Names...)
	}
	certificate, key, trust, err := stage.Files(stage.Certificate{Names: names})
	require.NoError(t, err)
	a.roots.AppendCertsFromPEM(trust)
	conf := filepath.Join(dir, "conf")
	certificates, root := filepath.Join(dir, named+"certificates"), filepath.Join(dir, named+"root")
	for _, folder := range []string{conf, certificates, root,
		filepath.Join(root, ".well-known", "acme-challenge")} {
		require.NoError(t, os.MkdirAll(folder, 0o755))
	}
	for _, d := range p.Domains() {
		require.NoError(t,
			os.WriteFile(filepath.Join(certificates, d.Name.String()+".crt"), certificate, 0o644))
		require.NoError(t, os.WriteFile(filepath.Join(certificates, d.Name.String()+".key"), key, 0o600))
	}
	require.NoError(t,
		os.WriteFile(filepath.Join(root, ".well-known", "acme-challenge", "token"), []byte("proof"),
			0o644))
	args := []string{"write", "apache", "--estate", estate, "--out", conf}
	include := "Include " + conf + "/apache.conf\n"
	if folder {
		args = append(args, "--htaccess")
		include = fmt.Sprintf(`Listen %[1]s
Listen %[2]s
DocumentRoot %[3]s
AccessFileName .htaccess
<Directory %[3]s>
AllowOverride All
Require all granted
</Directory>
<VirtualHost %[1]s>
ServerName main.invalid
DocumentRoot %[3]s
</VirtualHost>
<VirtualHost %[2]s>
ServerName main.invalid
DocumentRoot %[3]s
SSLEngine on
SSLCertificateFile %[4]s/old.example.crt
SSLCertificateKeyFile %[4]s/old.example.key
</VirtualHost>
`, a.http, a.https, root, certificates)
	} else {
		args = append(args, "--place", certificates, "--listen", "http="+a.http, "--listen",
			"https="+a.https,
			"--certificates", certificates, "--challenges", root)
	}
	out, code := run(t, "", args...)
	require.Contains(t, []int{0, 1}, code, out)
	if folder {
		text, err := os.ReadFile(filepath.Join(conf, ".htaccess"))
		require.NoError(t, err)
		require.NoError(t, os.WriteFile(filepath.Join(root, ".htaccess"), text, 0o644))
	}
	tables, err := filepath.Glob(filepath.Join(conf, "up*.txt"))
	require.NoError(t, err)
	bodies, err := filepath.Glob(filepath.Join(conf, "up*.conf"))
	require.NoError(t, err)
	for _, body := range bodies {
		text, err := os.ReadFile(body)
		require.NoError(t, err)
		require.NoError(t,
			os.WriteFile(filepath.Join(certificates, filepath.Base(body)), text, 0o644))
	}
	for i, table := range tables {
		text, err := os.ReadFile(table)
		require.NoError(t, err)
		tables[i] = filepath.Join(certificates, filepath.Base(table))
		require.NoError(t, os.WriteFile(tables[i], text, 0o644))
	}
	for _, table := range tables {
		made,
			err := exec.Command(peer(t, "httxt2dbm"), "-i", table, "-o",
			strings.TrimSuffix(table, ".txt")+".dbm").
			CombinedOutput()
		require.NoError(t, err, string(made))
	}
	config := filepath.Join(dir, "main.conf")
	require.NoError(
		t,
		os.WriteFile(
			config,
			fmt.Appendf(
				nil,
				"%sServerRoot %[2]s\nServerName localhost\nPidFile %[2]s/pid\nErrorLog %[2]s/error.log\n"+
					"Mutex file:%[2]s default\nUser nobody\nGroup nogroup\n"+
					"SSLProtocol -all +TLSv1.2 +TLSv1.3\n%[3]s",
				apacheModules,
				dir,
				include,
			),
			0o644,
		),
	)
	check, err := exec.Command(binary, "-t", "-f", config).CombinedOutput()
	require.NoError(t, err, string(check))
	server := exec.Command(binary, "-DFOREGROUND", "-f", config)
	var said bytes.Buffer
	server.Stdout, server.Stderr = &said, &said
	require.NoError(t, server.Start())
	t.Cleanup(func() {
		_ = server.Process.Signal(os.Interrupt)
		_ = server.Wait()
		if log, err := os.ReadFile(filepath.Join(dir, "error.log")); err == nil && t.Failed() {
			t.Log(string(log[max(0, len(log)-1000):]))
		}
	})
	await(t, a.http)
	return a
}

// refuses tells what the file says that Apache refuses by itself.
func (a *apache) refuses(uri string) bool {
	path, _, _ := strings.Cut(uri, "?")
	return dotted(uri) &&
		(strings.Contains(path, "%") || strings.Contains(path, "//") || climbs(path)) ||
		hasOddEscape(uri) ||
		a.folder && (strings.Contains(strings.ToUpper(path), "%2F"))
}

// climbs reports whether a path leads above the root.
func climbs(path string) bool {
	depth := 0
	for s := range strings.SplitSeq(path[1:], "/") {
		switch s {
		case "..":
			depth--
		case ".":
		default:
			depth++
		}
		if depth < 0 {
			return true
		}
	}
	return false
}

// normal takes away what stands at the end of a query and says nothing, as Apache may.
func (a *apache) normal(answer string) string {
	before, fragment, found := strings.Cut(answer, "#")
	if found {
		return answer // it stands behind the query
	}
	return strings.TrimRight(before, "&") + fragment
}

func TestApacheReadsFoldersOfAnyName(t *testing.T) {
	a := startApacheIn(t, "testdata/hostile/upperpath.yaml", false,
		strings.ReplaceAll(oddName, "${d}", "[d]?"))
	require.Equal(t, "200", a.ask("http", "", "old.example", "/.well-known/acme-challenge/token"))
	require.Equal(t, "301 https://www.n.example/mill/",
		a.ask("https", "old.example", "old.example", "/"))
}

func TestApacheRefusesFoldersThatItWouldTakeForVariables(t *testing.T) {
	out,
		code := run(t, "", "write", "apache", "--estate", "testdata/hostile/upperpath.yaml", "--out",
		t.TempDir(),
		"--challenges", "/var/www/${HOME}")
	require.Equal(t, 2, code)
	require.Contains(t, out, "contains ${, which Apache")
}
