package peers

import (
	"bufio"
	"encoding/json"
	"fmt"
	"net"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

const htaccess = `RewriteEngine On
RewriteCond %{QUERY_STRING} ^page=about$
RewriteRule ^index\.php$ https://www.n.example/about/? [R=301,L]
RewriteCond %{QUERY_STRING} ^id=([0-9]+)$
RewriteRule ^item\.php$ https://www.n.example/items/%1/? [R=301,L]
RewriteRule ^archiv/([0-9]+)/(.*)$ /archive/$1/$2 [R=301,L]
RewriteRule ^p(ens|ins)/([^/]+)/?$ https://www.n.example/$1/$2 [R,L]
RewriteRule ^more/([^/]+)$ https://www.n.example/m?from=$1 [R=301,QSA,L]
RewriteRule ^less/(.*)$ https://www.n.example/l/$1 [R=308,QSD,L]
RewriteRule ^dead$ - [G]
RewriteRule ^inside/(.*)$ /outside/$1 [L]
RewriteRule ^img/ - [F]
Redirect permanent /old https://www.n.example/new
Redirect 302 /slash/ https://www.n.example/s/
Redirect gone /lost
RedirectMatch 301 ^/news/([0-9]+)/(.*)$ https://www.n.example/n/$1/$2
RedirectMatch ^/tail/(.*)\.html$ https://www.n.example/t/$1
Redirect 301 /both https://www.n.example/by-redirect
RewriteRule ^both$ https://www.n.example/by-rewrite [R=301,L]
RewriteRule ^Team/(.*)/?$ https://www.n.example/team/$1 [NC,R=301,L]
<IfModule mod_rewrite.c>
RewriteCond %{HTTP_HOST} ^old\.example$ [NC]
RewriteRule ^secure(/.*)?$ https://%{HTTP_HOST}%{REQUEST_URI} [R=301,L]
RewriteRule ^safe/(.*)$ https://www.n.example%{REQUEST_URI} [R=301,L]
</IfModule>
`

const nginxConf = `map $uri $moved { /m1 https://www.n.example/one; /m2 https://www.n.example/two; ~^/m/(?<x>.*)$ https://www.n.example/x/$x; }
server {
    listen %[1]s;
    server_name old.example www.old.example;
    rewrite ^/rw/([0-9]+)/(.*)$ https://www.n.example/r/$1/$2 permanent;
    rewrite ^/drop/(.*)$ https://www.n.example/d/$1? redirect;
    location = /exact { return 301 https://www.n.example/e; }
    location /pre/ { return 301 https://www.n.example$request_uri; }
    location /pre/deeper/ { return 302 https://www.n.example/deep$is_args$args; }
    location ~ ^/re/([^/]+)$ { return 308 https://www.n.example/re-$1; }
    location ~ ^/re/a { return 301 https://www.n.example/never; }
    location ~* ^/case { return 301 https://www.n.example/case; }
    location /gone { return 410; }
    location /page { return 200 page; }
    location /moved/ { rewrite ^/moved/(.*)$ https://www.n.example/mv/$1 permanent; }
    location /all/ { rewrite ^ https://www.n.example/all permanent; }
    location = /one { rewrite ^/(.*)$ https://www.n.example/1/$1 permanent; }
    if ($request_uri = /whole) { return 301 https://www.n.example/whole; }
    if ($uri ~ ^/tilde/([0-9]+)$) { return 302 https://www.n.example/t/$1; }
    if ($arg_page = about) { return 301 https://www.n.example/about; }
}
server {
    listen %[1]s;
    server_name shop.old.example;
    if ($host = shop.old.example) { return 301 https://old.example$request_uri; }
    return 404;
}
`

// ask asks a server for a path of old.example, and gives status and Location.
func ask(t *testing.T, at, uri string) string {
	t.Helper()
	return askHost(t, at, "old.example", uri)
}

func askHost(t *testing.T, at, host, uri string) string {
	t.Helper()
	c, err := net.Dial("tcp", at)
	require.NoError(t, err)
	defer c.Close()
	_ = c.SetDeadline(time.Now().Add(5 * time.Second))
	fmt.Fprintf(c, "GET %s HTTP/1.1\r\nHost: %s\r\nConnection: close\r\n\r\n", uri, host)
	answer, err := http.ReadResponse(bufio.NewReader(c), nil)
	require.NoError(t, err, uri)
	return strings.TrimSpace(fmt.Sprintf("%d %s", answer.StatusCode, answer.Header.Get("Location")))
}

// imported runs the import on an estate, and gives what was left and the rules as an estate of
// their own to be tried.
func imported(t *testing.T, file string, args ...string) (left []int, differs []string,
	estate string) {
	t.Helper()
	dir := t.TempDir()
	estate = filepath.Join(dir, "upperpath.yaml")
	require.NoError(
		t,
		os.WriteFile(
			estate,
			[]byte(
				"canonical: https://www.n.example\ncarriers: {g: {by: server, addresses: [203.0.113.20]}}\n"+
					"domains: [n.example, {name: old.example, hosts: [shop], fallback: gone}]\nrules: rules.csv\n",
			),
			0o600,
		),
	)
	require.NoError(t,
		os.WriteFile(filepath.Join(dir, "rules.csv"), []byte("old,new,status,query,note\n"), 0o600))
	out, code := run(
		t,
		"",
		append([]string{"rules", "import", file, "--estate", estate, "--add", "--format", "json"},
			args...)...)
	require.Less(t, code, 2, out)
	var result struct {
		Left []struct {
			Line int `json:"line"`
		} `json:"skipped"`
		Differences []struct {
			URL string `json:"url"`
		} `json:"differences"`
	}
	require.NoError(t, json.Unmarshal([]byte(out), &result), out)
	for _, l := range result.Left {
		left = append(left, l.Line)
	}
	for _, d := range result.Differences {
		differs = append(differs, d.URL)
	}
	return left, differs, estate
}

// predicted gives what the rules give for a path, "" where no rule takes it.
func predicted(t *testing.T, estate, uri string) string {
	t.Helper()
	return predictedAt(t, estate, "old.example", uri)
}

func predictedAt(t *testing.T, estate, host, uri string) string {
	t.Helper()
	return predictedAll(t, estate, host, []string{uri})[0]
}

// predictedAll gives what the rules give for many paths of a host.
func predictedAll(t *testing.T, estate, host string, uris []string) []string {
	t.Helper()
	args := []string{"rules", "try", "--estate", estate, "--format", "json"}
	for _, uri := range uris {
		args = append(args, "http://"+host+uri)
	}
	out, code := run(t, "", args...)
	require.Zero(t, code, out)
	var result struct {
		Tries []struct {
			Rule     int    `json:"rule"`
			Status   int    `json:"status"`
			Location string `json:"location"`
		} `json:"tries"`
	}
	require.NoError(t, json.Unmarshal([]byte(out), &result), out)
	all := make([]string, len(uris))
	for i, try := range result.Tries {
		if try.Rule > 0 {
			all[i] = strings.TrimSpace(fmt.Sprintf("%d %s", try.Status, try.Location))
		}
	}
	return all
}

// agree compares what a server answers with what the imported rules give.
func agree(t *testing.T, at, estate string, uris []string) {
	t.Helper()
	agreeAt(t, at, "old.example", estate, uris)
}

func agreeAt(t *testing.T, at, host, estate string, uris []string) {
	t.Helper()
	wanted := predictedAll(t, estate, host, uris)
	for i, uri := range uris {
		got, want := askHost(t, at, host, uri), wanted[i]
		got = strings.Replace(got, "http://old.example:"+at[strings.LastIndexByte(at, ':')+1:]+"/",
			"https://old.example/", 1)
		got = strings.Replace(
			got,
			" http://old.example/",
			" https://old.example/",
			1,
		) // a relative target leads to the scheme that was asked
		if want == "" {
			assert.False(
				t,
				strings.HasPrefix(got, "30") || strings.HasPrefix(got, "410"),
				"%s: the server says %s, and no rule takes it",
				uri,
				got,
			)
			continue
		}
		assert.Equal(t, got, want, uri)
	}
}

func startApache(t *testing.T, text string, inFolder bool) string {
	t.Helper()
	dir, at := t.TempDir(), freePort(t)
	root := filepath.Join(dir, "root")
	require.NoError(t, os.MkdirAll(root, 0o755))
	inside := text
	if inFolder {
		inside = ""
		require.NoError(t, os.WriteFile(filepath.Join(root, ".htaccess"), []byte(text), 0o644))
	}
	return startApacheAt(t, dir, at, fmt.Sprintf(`ServerName old.example
DocumentRoot %[1]s
<Directory %[1]s>
  AllowOverride All
  Require all granted
</Directory>
%[2]s`, root, inside))
}

// startApacheAt starts Apache in a folder, with so much of a configuration.
func startApacheAt(t *testing.T, dir, at, inside string) string {
	t.Helper()
	apache := peer(t, "apache2")
	require.NoError(t, os.Chmod(dir, 0o755))
	for _, folder := range []string{filepath.Dir(dir), filepath.Dir(filepath.Dir(dir))} {
		_ = os.Chmod(folder, 0o755)
	}
	config := filepath.Join(dir, "apache.conf")
	require.NoError(t, os.WriteFile(config, fmt.Appendf(nil, `ServerRoot %[1]s
PidFile %[1]s/pid
ErrorLog %[1]s/error.log
Listen %[2]s
LoadModule mpm_event_module /usr/lib/apache2/modules/mod_mpm_event.so
LoadModule authz_core_module /usr/lib/apache2/modules/mod_authz_core.so
LoadModule alias_module /usr/lib/apache2/modules/mod_alias.so
LoadModule rewrite_module /usr/lib/apache2/modules/mod_rewrite.so
LoadModule proxy_module /usr/lib/apache2/modules/mod_proxy.so
User nobody
Group nogroup
UseCanonicalName Off
%[3]s
`, dir, at, inside), 0o644))
	c := exec.Command(apache, "-f", config, "-D", "FOREGROUND")
	c.Stderr = os.Stderr
	require.NoError(t, c.Start())
	t.Cleanup(func() {
		_ = c.Process.Signal(os.Interrupt)
		_ = c.Wait()
		if log, err := os.ReadFile(filepath.Join(dir, "error.log")); err == nil && t.Failed() {
			t.Log(string(log[:min(len(log), 4000)]))
		}
	})
	await(t, at)
	return at
}

// The paths that are tried: what each line takes, what it just does not, queries and odd octets.
var apachePaths = []string{
	"/index.php?page=about",
	"/index.php?page=other",
	"/index.php",
	"/item.php?id=12",
	"/item.php?id=x",
	"/item.php",
	"/archiv/1998/",
	"/archiv/1998/a/b.html?x=1",
	"/archiv/x/a",
	"/pens/red",
	"/pins/red/",
	"/pins/red/x",
	"/pants/red",
	"/more/a?x=1&y=2",
	"/more/a",
	"/more/a/b",
	"/less/a/b?x=1",
	"/less/",
	"/dead",
	"/dead/x",
	"/inside/x",
	"/img/a.png",
	"/both",
	"/both/x",
	"/Team/a/b/",
	"/Team/",
	"/safe/a/b?x=1",
	"/old",
	"/old/",
	"/old/a/b?x=1",
	"/older",
	"/slash/",
	"/slash/a?x",
	"/slash",
	"/lost",
	"/lost/a",
	"/news/12/a-b.html?x=1",
	"/news/12/",
	"/news/a/b",
	"/nothing",
	"/tail/a/b.html",
	"/tail/a.htm",
	"/secure",
	"/secure/a/b?x=1",
}

func TestAnImportedApacheFolderAnswersTheSame(t *testing.T) {
	at := startApache(t, htaccess, true)
	file := filepath.Join(t.TempDir(), "old.htaccess")
	require.NoError(t, os.WriteFile(file, []byte(htaccess), 0o600))
	left, differs, estate := imported(t, file, "--host", "old.example")
	assert.Equal(
		t,
		[]int{11, 12, 18},
		left,
		"what rewrites inside, forbids, or comes too late",
	)
	assert.Equal(
		t,
		[]string{
			"http://old.example/index.php?page=about&more=1",
			"http://old.example/item.php?id=7&more=1",
			"http://old.example/more/x=x",
			"http://old.example/TEAM/x",
		},
		differs,
	)
	agree(t, at, estate, apachePaths)
	for _, d := range differs {
		uri := strings.TrimPrefix(d, "http://old.example")
		assert.NotEqual(t, ask(t, at, uri), predicted(t, estate, uri), "what is said to differ does")
	}
}

func TestAnImportedApacheServerAnswersTheSame(t *testing.T) {
	text := `Redirect 301 /a https://www.n.example/first
Redirect 301 /a/b https://www.n.example/second
RedirectMatch 301 ^/c/(.*)$ https://www.n.example/c1/$1
RedirectMatch 301 ^/c/d/(.*)$ https://www.n.example/c2/$1
RewriteEngine On
RewriteRule ^/e/(.+)$ https://www.n.example/e/$1 [R=301,L]
RewriteCond %{HTTP_HOST} ^old\.example$ [NC]
RewriteRule ^/f$ https://www.n.example/f [R=301]
`
	at := startApache(t, text, false)
	file := filepath.Join(t.TempDir(), "apache.conf")
	require.NoError(t, os.WriteFile(file, []byte(text), 0o600))
	left, differs, estate := imported(t, file, "--host", "old.example", "--context", "server")
	assert.Empty(t, left)
	agree(t, at, estate, []string{"/a", "/a/x?y=1", "/c/x", "/e/x/y?z", "/f", "/f/", "/e"})
	require.NotEmpty(t, differs)
	for _, d := range differs {
		uri := strings.TrimPrefix(d, "http://old.example")
		assert.NotEqual(t, ask(t, at, uri), predicted(t, estate, uri), "what is said to differ does: %s",
			uri)
	}
	assert.Contains(
		t,
		strings.Join(differs, "\n"),
		"http://old.example/a/b",
		"the first match there, the most specific here",
	)
}

func TestVirtualHostsSayWhoseTheirPathsAre(t *testing.T) {
	text := `<VirtualHost *:80>
  ServerName old.example
  ServerAlias www.old.example
  Redirect 301 / https://www.n.example/old/
</VirtualHost>
<VirtualHost *:80>
  ServerName shop.old.example
  <IfModule mod_alias.c>
    RedirectMatch 301 ^/item-([0-9]+)$ https://www.n.example/shop/$1
  </IfModule>
  <Location /inner>
    Redirect 301 /inner/x https://www.n.example/never
  </Location>
  Redirect 302 /cart https://www.n.example/basket
</VirtualHost>
`
	at := startApache(t, strings.ReplaceAll(text, "*:80", "*"), false)
	file := filepath.Join(t.TempDir(), "apache.conf")
	require.NoError(t, os.WriteFile(file, []byte(text), 0o600))
	left, differs, estate := imported(t, file)
	assert.Equal(t, []int{12}, left)
	assert.Empty(t, differs)
	agree(t, at, estate, []string{"/", "/a/b?x=1"})
	agreeAt(t, at, "shop.old.example", estate,
		[]string{"/item-12", "/item-12/", "/cart", "/cart/a?x=1", "/", "/item-x"})
}

func TestAnImportedNginxConfigurationAnswersTheSame(t *testing.T) {
	nginx := peer(t, "nginx")
	dir, at := t.TempDir(), freePort(t)
	text := strings.Replace(
		fmt.Sprintf(nginxConf, at),
		"location /page",
		"if ($moved) { return 301 $moved; }\n    location /page",
		1,
	)
	config := filepath.Join(dir, "nginx.conf")
	require.NoError(
		t,
		os.WriteFile(
			config,
			[]byte(
				fmt.Sprintf(
					"daemon off; pid %[1]s/pid; error_log stderr; events {} http { access_log off; "+
						"client_body_temp_path %[1]s/b; "+
						"proxy_temp_path %[1]s/p; fastcgi_temp_path %[1]s/f; uwsgi_temp_path %[1]s/u; "+
						"scgi_temp_path %[1]s/s;\n%[2]s}\n",
					dir,
					text,
				),
			),
			0o600,
		),
	)
	c := exec.Command(nginx, "-p", dir, "-c", config)
	c.Stderr = os.Stderr
	require.NoError(t, c.Start())
	t.Cleanup(func() { _ = c.Process.Signal(os.Interrupt); _ = c.Wait() })
	await(t, at)
	left, differs, estate := imported(t, config)
	assert.NotEmpty(t, left, "what ignores case, and what answers by itself")
	agree(
		t,
		at,
		estate,
		[]string{
			"/m1",
			"/m2?x=1",
			"/m/a/b",
			"/rw/12/a?x=1",
			"/rw/a/b",
			"/drop/a?x=1",
			"/exact",
			"/exact/",
			"/exact?x=1",
			"/pre/",
			"/pre/a/b?x=1",
			"/pre/deeper/a?x=1",
			"/pre/deeper/",
			"/pre",
			"/re/x?y",
			"/re/x/y",
			"/gone",
			"/gone/x",
			"/page",
			"/nothing",
			"/moved/a/b?x=1",
			"/moved/",
			"/all/x?y=1",
			"/whole",
			"/tilde/12?x=1",
			"/tilde/x",
			"/some?page=about",
			"/some?page=other",
		},
	)
	agreeAt(t, at, "shop.old.example", estate, []string{"/", "/a/b?x=1"})
	for _, d := range differs {
		uri := strings.TrimPrefix(d, "http://old.example")
		assert.NotEqual(t, ask(t, at, uri), predicted(t, estate, uri), "what is said to differ does: %s",
			uri)
	}
}
