package peers

import (
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"upperpath.example/upperpath/internal/stage"
)

// TestTwoEstatesShareAServer has the files of two estates, each with its own default, in one real
// server: the second one beside the first. Each has a log of its own, and lines of its own that
// stay.
func TestTwoEstatesShareAServer(t *testing.T) {
	for server, program := range map[string]string{"nginx": "nginx", "apache": "apache2"} {
		t.Run(server, func(t *testing.T) {
			binary := peer(t, program)
			dir := t.TempDir()
			require.NoError(t, os.Chmod(dir, 0o755))
			require.NoError(t, os.Chmod(filepath.Dir(dir), 0o755))
			l := newListening(t)
			certificate, key, trust, err := stage.Files(stage.Certificate{
				Names: []string{"one.example", "www.one.example", "two.example", "www.two.example"}})
			require.NoError(t, err)
			l.roots.AppendCertsFromPEM(trust)
			includes := ""
			for _, name := range []string{"one", "two"} {
				base := filepath.Join(dir, name)
				place := filepath.Join(base, "place")
				for _, folder := range []string{filepath.Join(place, "own"),
					filepath.Join(base, "certificates"), filepath.Join(base, "challenges")} {
					require.NoError(t, os.MkdirAll(folder, 0o755))
				}
				for ending, text := range map[string][]byte{".crt": certificate, ".key": key} {
					require.NoError(t, os.WriteFile(filepath.Join(base, "certificates", name+".example"+ending),
						text, 0o644))
				}
				own := "add_header X-Own " + name + " always;\n"
				if server == "apache" {
					own = "Header always set X-Own " + name + "\n"
				}
				require.NoError(t, os.WriteFile(filepath.Join(place, "own", "head.conf"), []byte(own), 0o644))
				estate := filepath.Join(base, "upperpath.yaml")
				require.NoError(t, os.WriteFile(estate, fmt.Appendf(nil,
					"canonical: https://www.%[1]s-new.example\ncarriers: {g: {by: server, addresses: "+
						"[203.0.113.20], software: %[2]s}}\nrules: rules.csv\ndomains: [{name: %[1]s.example}]\n",
					name, server), 0o644))
				require.NoError(t, os.WriteFile(filepath.Join(base, "rules.csv"), fmt.Appendf(nil,
					"old,new\n%[1]s.example/a,/%[1]s\n%[1]s.example/b/{x},/b/{x}\n", name), 0o644))
				args := []string{"write", server, "--estate", estate, "--out", place, "--place", place,
					"--listen", "http=" + l.http, "--listen", "https=" + l.https, "--certificates",
					filepath.Join(base, "certificates"), "--challenges", filepath.Join(base, "challenges"),
					"--log", filepath.Join(base, "requests.log")}
				if name == "two" {
					args = append(args, "--beside")
				}
				out, code := run(t, "", args...)
				require.LessOrEqual(t, code, 1, out)
				assert.Contains(t, out, "To take it back")
				assert.NotContains(t, out, "refuses the configuration")
				file := filepath.Join(place, server+".conf")
				includes += map[string]string{"nginx": "include " + file + ";\n",
					"apache": "Include " + file + "\n"}[server]
				again, code := run(t, "", append(args, "--only", name+".example")...)
				require.LessOrEqual(t, code, 1, again)
				assert.NoFileExists(t, file+".before", "nothing changed")
			}
			startShared(t, binary, server, dir, includes, l)
			for _, name := range []string{"one", "two"} {
				host := name + ".example"
				for _, scheme := range []string{"http", "https"} {
					assert.Equal(t, "301 https://www."+name+"-new.example/"+name, l.ask(scheme, host, host, "/a"))
					assert.Equal(t, "301 https://www."+name+"-new.example/b/7", l.ask(scheme, host, host, "/b/7"))
				}
				// its own requests alone; a server may write the last one after it has answered
				require.Eventually(t, func() bool {
					log, err := os.ReadFile(filepath.Join(dir, name, "requests.log"))
					return err == nil && strings.Count(string(log), host+" 127.0.0.1") == 4 &&
						strings.Count(string(log), "GET /") == 4 &&
						strings.Count(string(log), " 301 https://www."+name+"-new.example/") == 4
				}, 20*time.Second, 20*time.Millisecond)
			}
			assert.Equal(t, "421", l.ask("http", "", "other.example", "/a"))
			head := l.header("two.example", "/a", "X-Own")
			assert.Equal(t, "two", head)
		})
	}
}

// startShared starts a server with files of several estates.
func startShared(t *testing.T, binary, server, dir, includes string, l listening) {
	t.Helper()
	config := filepath.Join(dir, "main.conf")
	text := fmt.Sprintf("daemon off; pid %[1]s/pid; error_log stderr crit; events {}\nhttp { "+
		"access_log off; client_body_temp_path %[1]s/b; proxy_temp_path %[1]s/p; "+
		"fastcgi_temp_path %[1]s/f; uwsgi_temp_path %[1]s/u; scgi_temp_path %[1]s/s;\n%[2]s}\n", dir,
		includes)
	args := []string{"-p", dir, "-c", config}
	if server == "apache" {
		text = fmt.Sprintf("ServerRoot %[1]s\nPidFile %[1]s/pid\nErrorLog %[1]s/error.log\nServerName "+
			"main.invalid\n%[2]sUser nobody\nGroup nogroup\n%[3]s", dir, apacheModules, includes)
		args = []string{"-f", config, "-D", "FOREGROUND"}
	}
	require.NoError(t, os.WriteFile(config, []byte(text), 0o644))
	c := exec.Command(binary, args...)
	c.Stderr = os.Stderr
	require.NoError(t, c.Start())
	t.Cleanup(func() { _ = c.Process.Signal(os.Interrupt); _ = c.Wait() })
	await(t, l.http)
	await(t, l.https)
}
