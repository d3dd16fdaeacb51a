package peers

import (
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// idiom is a few lines as people write them, and paths to try. HOST stands for its host.
type idiom struct {
	name, text string
	paths      string // with spaces between
	anyway     bool   // it, or a part of it, does what a door does anyway
	left       bool   // a part of it is more than rules say, which is said
}

// folders are idioms of .htaccess files, from the manuals of mod_rewrite and mod_alias.
var folders = []idiom{
	{"a page", "Redirect 301 /a.html https://www.n.example/a/", "/a.html /a.html/x /a.htm /a.html?x=1",
		false, false},
	{"a page, elsewhere on the host", "Redirect 301 /a.html /b/", "/a.html /b/", false, false},
	{"a folder", "Redirect permanent /blog https://www.n.example/news",
		"/blog /blog/ /blog/a?b /blogs", false, false},
	{"a folder with slashes", "Redirect 302 /blog/ https://www.n.example/news/",
		"/blog/ /blog/a /blog", false, false},
	{"for a while", "RedirectTemp /x https://www.n.example/y", "/x /x/z", false, false},
	{"for good", "RedirectPermanent /x https://www.n.example/y", "/x /x/z", false, false},
	{"gone", "Redirect gone /old", "/old /old/x /older", false, false},
	{"see other", "Redirect seeother /x https://www.n.example/y", "/z", false, true},
	{"the whole host", "Redirect 301 / https://www.n.example/", "/ /a /a/b?c=d", false, false},
	{
		"by expression",
		`RedirectMatch 301 ^/item-([0-9]+)\.html$ https://www.n.example/item/$1/`,
		"/item-7.html /item-x.html",
		false,
		false,
	},
	{
		"any ending",
		`RedirectMatch 301 ^/(.*)\.aspx$ https://www.n.example/$1/`,
		"/a.aspx /a/b.aspx?x=1 /a.aspx/ /.aspx",
		false,
		false,
	},
	{"an ending anywhere", `RedirectMatch 301 \.asp$ https://www.n.example/`,
		"/a.asp /a/b.asp /a.aspx", false, false},
	{"everything, by expression", `RedirectMatch 301 (.*) https://www.n.example$1`, "/ /a/b?c=d",
		false, false},
	{"everything to one page", `RedirectMatch 301 ^/.*$ https://www.n.example/`, "/ /a/b", false,
		false},
	{"gone by expression", `RedirectMatch 410 ^/shop/`, "/shop/ /shop/a /shop", false, false},
	{
		"a page rewritten",
		"RewriteEngine On\nRewriteRule ^old\\.html$ https://www.n.example/new [R=301,L]",
		"/old.html /old.html/x /oldxhtml",
		false,
		false,
	},
	{
		"with the slash that is never there",
		"RewriteEngine On\nRewriteRule ^/?old$ https://www.n.example/new [R=301,L]",
		"/old /old/",
		false,
		false,
	},
	{
		"everything to another host",
		"RewriteEngine On\nRewriteRule (.*) https://www.n.example/$1 [R=301,L]",
		"/ /a /a/b?c=d",
		false,
		false,
	},
	{
		"the same, anchored",
		"RewriteEngine On\nRewriteRule ^(.*)$ https://www.n.example/$1 [R=301,L]",
		"/ /a /a/b?c=d",
		false,
		false,
	},
	{
		"the same, by the request",
		"RewriteEngine On\nRewriteRule ^ https://www.n.example%{REQUEST_URI} [R=301,L]",
		"/ /a/b?c=d",
		false,
		false,
	},
	{
		"everything to the home page",
		"RewriteEngine On\nRewriteRule .* https://www.n.example/ [R=301,L]",
		"/ /a/b",
		false,
		false,
	},
	{
		"a dot and a question mark",
		"RewriteEngine On\nRewriteRule .? https://www.n.example/here [R=302,L]",
		"/ /a/b",
		false,
		false,
	},
	{
		"an ending cut off",
		"RewriteEngine On\nRewriteRule ^(.*)\\.php$ https://www.n.example/$1/ [R=301,L]",
		"/a.php /a/b.php?x=1 /.php /a.php.txt",
		false,
		false,
	},
	{
		"an ending anywhere, rewritten",
		"RewriteEngine On\nRewriteRule \\.php$ https://www.n.example/gone/ [R=301,L]",
		"/a.php /a/b.php /a.phps",
		false,
		false,
	},
	{
		"an index cut off",
		"RewriteEngine On\nRewriteRule ^(.*)/index\\.html$ https://www.n.example/$1/ [R=301,L]",
		"/a/index.html /a/b/index.html /index.html",
		false,
		false,
	},
	{
		"a folder, or nothing below it",
		"RewriteEngine On\nRewriteRule ^shop(/.*)?$ https://www.n.example/store$1 [R=301,L]",
		"/shop /shop/ /shop/a/b /shops",
		false,
		false,
	},
	{
		"a slash at the end, or none",
		"RewriteEngine On\nRewriteRule ^team/([^/]+)/?$ https://www.n.example/people/$1 [R=301,L]",
		"/team/ann /team/ann/ /team/",
		false,
		false,
	},
	{
		"one of several",
		"RewriteEngine On\nRewriteRule ^(spring|autumn)/(.*)$ https://www.n.example/seasons/$1/$2 " +
			"[R=301,L]",
		"/spring/ /autumn/a /winter/a",
		false,
		false,
	},
	{
		"four digits",
		"RewriteEngine On\nRewriteRule ^([0-9]{4})/(.*)$ https://www.n.example/$1/$2 [R=301,L]",
		"/1998/a /1998/",
		false,
		false,
	},
	{
		"two digits and more",
		"RewriteEngine On\nRewriteRule ^n(\\d{2,})$ https://www.n.example/n/$1 [R=301,L]",
		"/n12 /n123 /nx",
		false,
		false,
	},
	{
		"a query by itself",
		"RewriteEngine On\nRewriteCond %{QUERY_STRING} ^id=([0-9]+)$\n" +
			"RewriteRule ^item\\.php$ https://www.n.example/item/%1? [R=301,L]",
		"/item.php?id=7 /item.php?id=x /item.php",
		false,
		false,
	},
	{
		"a query cut off",
		"RewriteEngine On\nRewriteRule ^a$ https://www.n.example/b [R=301,L,QSD]",
		"/a?x=1 /a",
		false,
		false,
	},
	{
		"a query handed on",
		"RewriteEngine On\nRewriteRule ^a$ https://www.n.example/b?from=a [R=301,L,QSA]",
		"/a /a?x=1",
		false,
		false,
	},
	{
		"a query in its place",
		"RewriteEngine On\nRewriteRule ^a$ https://www.n.example/b?c=d [R=301,L]",
		"/a /a?x=1",
		false,
		false,
	},
	{"without case", "RewriteEngine On\nRewriteRule ^Map$ https://www.n.example/map [NC,R=301,L]",
		"/Map", false, false},
	{"gone, rewritten", "RewriteEngine On\nRewriteRule ^lost - [G]", "/lost /lost/x /losty", false,
		false},
	{
		"forbidden",
		"RewriteEngine On\nRewriteRule ^secret - [F]\n" +
			"RewriteRule ^open$ https://www.n.example/o [R=301,L]",
		"/open",
		false,
		true,
	},
	{"a base", "RewriteEngine On\nRewriteBase /\nRewriteRule ^a$ b [R=301,L]", "/a", false, false},
	{
		"to https",
		"RewriteEngine On\nRewriteCond %{HTTPS} off\n" +
			"RewriteRule ^(.*)$ https://%{HTTP_HOST}/$1 [R=301,L]",
		"/ /a/b?c=d",
		true,
		false,
	},
	{
		"to https, not on",
		"RewriteEngine On\nRewriteCond %{HTTPS} !=on\n" +
			"RewriteRule ^ https://%{HTTP_HOST}%{REQUEST_URI} [L,R=301]",
		"/a",
		true,
		false,
	},
	{
		"to https by the port",
		"RewriteEngine On\nRewriteCond %{SERVER_PORT} 80\nRewriteRule ^(.*)$ https://HOST/$1 [R,L]",
		"/",
		true,
		false,
	},
	{
		"to www",
		"RewriteEngine On\nRewriteCond %{HTTP_HOST} ^HOSTRE$ [NC]\n" +
			"RewriteRule ^(.*)$ https://www.HOST/$1 [R=301,L]",
		"/ /a",
		true,
		false,
	},
	{
		"to www, whatever else",
		"RewriteEngine On\nRewriteCond %{HTTP_HOST} !^www\\. [NC]\n" +
			"RewriteRule ^(.*)$ https://www.%{HTTP_HOST}/$1 [R=301,L]",
		"/ /a",
		true,
		false,
	},
	{
		"off www",
		"RewriteEngine On\nRewriteCond %{HTTP_HOST} ^www\\.(.+)$ [NC]\n" +
			"RewriteRule ^ https://%1%{REQUEST_URI} [R=301,L]",
		"/ /a",
		true,
		false,
	},
	{
		"https and www at once",
		"RewriteEngine On\nRewriteCond %{HTTPS} off [OR]\nRewriteCond %{HTTP_HOST} !^www\\. [NC]\n" +
			"RewriteRule ^(.*)$ https://www.HOST/$1 [R=301,L]",
		"/ /a",
		true,
		false,
	},
	{
		"the scheme noted before",
		"RewriteEngine On\nRewriteCond %{HTTPS} =on\nRewriteRule ^ - [env=proto:https]\n" +
			"RewriteCond %{HTTPS} !=on\nRewriteRule ^ - [env=proto:http]\n" +
			"RewriteCond %{HTTP_HOST} ^www\\.(.+)$ [NC]\n" +
			"RewriteRule ^ %{ENV:PROTO}://%1%{REQUEST_URI} [R=301,L]",
		"/ /a",
		true,
		false,
	},
	{
		"behind a proxy",
		"RewriteEngine On\nRewriteCond %{HTTP:X-Forwarded-Proto} !https\nRewriteCond %{HTTPS} off\n" +
			"RewriteRule ^(.*)$ https://%{HTTP_HOST}%{REQUEST_URI} [L,R=301]",
		"/a",
		true,
		false,
	},
	{
		"but for renewals",
		"RewriteEngine On\nRewriteCond %{REQUEST_URI} !^/\\.well-known/acme-challenge/\n" +
			"RewriteCond %{HTTPS} off\nRewriteRule ^(.*)$ https://%{HTTP_HOST}/$1 [R=301,L]",
		"/a",
		true,
		false,
	},
	{
		"either host to another",
		"RewriteEngine On\nRewriteCond %{HTTP_HOST} ^HOSTRE$ [NC,OR]\n" +
			"RewriteCond %{HTTP_HOST} ^www\\.HOSTRE$ [NC]\n" +
			"RewriteRule ^(.*)$ https://www.n.example/$1 [R=301,L]",
		"/ /a?b=c",
		false,
		false,
	},
	{
		"a page of its own host",
		"RewriteEngine On\nRewriteRule ^in$ https://%{HTTP_HOST}/out [R=301,L]",
		"/in",
		false,
		false,
	},
	{
		"files that are there",
		"RewriteEngine On\nRewriteCond %{REQUEST_FILENAME} !-f\n" +
			"RewriteRule ^(.*)$ /index.php?q=$1 [L,QSA]\nRedirect 301 /a https://www.n.example/a",
		"/zz",
		false,
		true,
	},
	{
		"a module asked first",
		"<IfModule mod_rewrite.c>\nRewriteEngine On\n" +
			"RewriteRule ^a$ https://www.n.example/a [R=301,L]\n</IfModule>",
		"/a /b",
		false,
		false,
	},
	{
		"page by page, first match",
		"Redirect 301 /a https://www.n.example/1\nRedirect 301 /a/b https://www.n.example/2",
		"/a /a/c",
		false,
		false,
	},
	{
		"rewriting comes first",
		"Redirect 301 /a https://www.n.example/1\nRewriteEngine On\n" +
			"RewriteRule ^a$ https://www.n.example/2 [R=301,L]",
		"/a",
		false,
		true,
	},
	{
		"a space and an accent",
		"Redirect 301 \"/a b\" https://www.n.example/ab\n" +
			"Redirect 301 /caf%C3%A9 https://www.n.example/cafe",
		"/a%20b",
		false,
		false,
	},
	{
		"an error page beside",
		"ErrorDocument 404 /missing.html\nRedirect 301 /a https://www.n.example/a",
		"/a",
		false,
		false,
	},
}

// blocks are idioms of nginx, from the manuals of its rewrite and core modules.
var blocks = []idiom{
	{"everything", "return 301 https://www.n.example$request_uri;", "/ /a/b?c=d", false, false},
	{"everything to the home page", "return 301 https://www.n.example/;", "/ /a/b?c=d", false, false},
	{"a page", "location = /a { return 301 https://www.n.example/b; }", "/a /a/ /a?x=1", false, false},
	{"a folder", "location /a/ { return 301 https://www.n.example$request_uri; }", "/a/ /a/b?c /a",
		false, false},
	{
		"a folder first of all",
		"location ^~ /a/ { return 302 https://www.n.example/a/; }\n" +
			"location ~ b$ { return 301 https://www.n.example/b; }",
		"/a/b /a/c",
		false,
		false,
	},
	{"by expression", "location ~ ^/a/([0-9]+)$ { return 301 https://www.n.example/$1; }", "/a/7 /a/x",
		false, false},
	{
		"any ending",
		"location ~ ^/(.*)\\.php$ { return 301 https://www.n.example/$1/; }",
		"/a.php /a/b.php?x=1 /.php /a.phps",
		false,
		false,
	},
	{"an ending anywhere", "location ~ \\.php$ { return 301 https://www.n.example/; }",
		"/a.php /a/b.php", false, false},
	{"gone", "location /a { return 410; }", "/a /a/b /ab /b", false, false},
	{"rewritten", "rewrite ^/a/(.*)$ https://www.n.example/b/$1 permanent;", "/a/ /a/b?c=d /a", false,
		false},
	{"rewritten for a while", "rewrite ^/a$ https://www.n.example/b redirect;", "/a /a/ /a?x", false,
		false},
	{"rewritten by its scheme", "rewrite ^/a$ https://www.n.example/b;", "/a", false, false},
	{"a query cut off", "rewrite ^/a$ https://www.n.example/b? permanent;", "/a?x=1 /a", false, false},
	{"everything rewritten", "rewrite ^(.*)$ https://www.n.example$1 permanent;", "/ /a/b?c=d", false,
		false},
	{
		"an ending cut off",
		"rewrite ^/(.*)\\.html$ https://www.n.example/$1 permanent;",
		"/a.html /a/b.html /a.htm",
		false,
		false,
	},
	{
		"a folder, or nothing below it",
		"rewrite ^/shop(/.*)?$ https://www.n.example/store$1 permanent;",
		"/shop /shop/a /shops",
		false,
		false,
	},
	{
		"a rewrite in its location",
		"location /a/ { rewrite ^/a/(.*)$ https://www.n.example/b/$1 permanent; }",
		"/a/x /a/",
		false,
		false,
	},
	{"a map", "if ($moved) { return 301 $moved; }", "/m1 /m2?x=1 /m/7 /m3", false, false},
	{
		"a parameter",
		"if ($arg_page = about) { return 301 https://www.n.example/about; }",
		"/?page=about /x?page=about",
		false,
		false,
	},
	{
		"a parameter in its location",
		"location = /index.php { if ($arg_page = about) { return 301 https://www.n.example/about; } }",
		"/index.php?page=about",
		false,
		false,
	},
	{"to https", "if ($scheme = http) { return 301 https://$host$request_uri; }", "/ /a?b", true,
		false},
	{"to https by the name", "return 301 https://$server_name$request_uri;", "/a", true, false},
	{"each to its own https", "return 301 https://$host$request_uri;", "/ /a?b", true, false},
	{"each to a page of its own", "location = /in { return 301 https://$host/out; }", "/in", false,
		false},
	{"off www", "if ($host ~* ^www\\.(.+)$) { return 301 https://$1$request_uri; }", "/a", true,
		false},
	{"to www", "if ($host = HOST) { return 301 https://www.HOST$request_uri; }", "/a", true, false},
	{"not www", "if ($host != www.HOST) { rewrite ^(.*)$ https://www.HOST$1 permanent; }", "/a", true,
		false},
	{"behind a proxy", "if ($http_x_forwarded_proto = http) { return 301 https://$host$request_uri; }",
		"/b", true, false},
	{
		"a place without a path",
		"location @old { return 301 https://www.n.example/; }\n" +
			"location = /a { return 301 https://www.n.example/a; }",
		"/a /old /@old",
		false,
		true,
	},
	{
		"what is missing",
		"error_page 404 /missing.html;\nlocation = /a { return 301 https://www.n.example/a; }",
		"/a",
		false,
		false,
	},
	{
		"strict transport",
		"add_header Strict-Transport-Security max-age=31536000;\n" +
			"location = /a { return 301 https://www.n.example/a; }",
		"/a",
		false,
		false,
	},
	{"a request to the letter", "if ($request_uri = /a) { return 301 https://www.n.example/b; }",
		"/a /a/", false, false},
	{
		"an expression on the path",
		"if ($uri ~ ^/t/([0-9]+)$) { return 302 https://www.n.example/$1; }",
		"/t/7 /t/x",
		false,
		false,
	},
	{"without case", "location ~* ^/Map$ { return 301 https://www.n.example/map; }", "/Map", false,
		false},
	{
		"the longest beginning",
		"location /a/ { return 301 https://www.n.example/1; }\n" +
			"location /a/b/ { return 301 https://www.n.example/2; }",
		"/a/x /a/b/x",
		false,
		false,
	},
}

// compareIdiom imports an idiom for a host and compares what its server answers there with what the
// rules give.
func compareIdiom(t *testing.T, at, host, file, kind string, i idiom) {
	t.Helper()
	dir := t.TempDir()
	estate := filepath.Join(dir, "upperpath.yaml")
	require.NoError(
		t,
		os.WriteFile(estate,
			[]byte("canonical: https://www.n.example\ncarriers: {g: {by: server, addresses: "+
				"[203.0.113.20]}}\ndefaults: {carrier: g}\ndomains: [n.example, {name: "+host+
				", fallback: gone}]\nrules: rules.csv\n"), 0o600),
	)
	require.NoError(t,
		os.WriteFile(filepath.Join(dir, "rules.csv"), []byte("old,new,status,query,note\n"), 0o600))
	said := importedAs(t, file, estate, "--host", host, "--kind", kind, "--context", "htaccess")
	assert.Equal(t, i.anyway, len(said.Anyway) > 0, "what a door does anyway: %v", said)
	assert.Equal(t, i.left, len(said.Left) > 0, "what is left: %v", said)
	for _, name := range []string{host, "www." + host} {
		uris := strings.Fields(i.paths)
		wanted := predictedAll(t, estate, name, uris)
		for n, uri := range uris {
			got, want := askHost(t, at, name, uri), wanted[n]
			for _, own := range []string{"http://" + name + at[strings.LastIndexByte(at, ':'):] + "/",
				"http://" + name + "/"} {
				got = strings.Replace(got, " "+own, " https://"+name+"/", 1)
			}
			status, location, _ := strings.Cut(got, " ")
			if strings.HasPrefix(want, "301 https://"+host+"/") && !strings.Contains(i.text, "$host") &&
				!strings.Contains(i.text, "%{") {
				// which the import says of it
				got = strings.Replace(got, " https://www."+host+"/", " https://"+host+"/", 1)
			}
			own := strings.Contains(location, "://"+host+"/") ||
				strings.Contains(location, "://www."+host+"/")
			switch {
			case want == "" && i.anyway && own: // which every door does, by its plan
			case want == "":
				assert.False(
					t,
					strings.HasPrefix(status, "30") || status == "410",
					"%s%s: the server says %s, and no rule takes it",
					name,
					uri,
					got,
				)
			default:
				assert.Equal(t, got, want, "%s%s", name, uri)
			}
		}
	}
	for _, d := range said.Differences {
		if uri, is := strings.CutPrefix(d.URL, "http://"+host); is {
			assert.NotEqual(
				t,
				askHost(t, at, host, uri),
				predictedAt(t, estate, host, uri),
				"what is said to differ does: %s",
				d.URL,
			)
		}
	}
}

func TestIdiomsOfApacheAnswerTheSame(t *testing.T) {
	dir := t.TempDir()
	text := ""
	for n, i := range folders {
		host := fmt.Sprintf("a%d.example", n)
		root := filepath.Join(dir, host)
		require.NoError(t, os.MkdirAll(root, 0o755))
		own := strings.NewReplacer("HOSTRE", strings.ReplaceAll(host, ".", `\.`), "HOST", host,
			"HTTP_HOST", "HTTP_HOST").
			Replace(strings.ReplaceAll(i.text, "HTTP_HOST", "HTTP_H\x01ST"))
		own = strings.ReplaceAll(own, "HTTP_H\x01ST", "HTTP_HOST")
		require.NoError(t, os.WriteFile(filepath.Join(root, ".htaccess"), []byte(own+"\n"), 0o644))
		text += fmt.Sprintf(
			"<VirtualHost *>\nServerName %[1]s\nServerAlias www.%[1]s\nDocumentRoot %[2]s\n"+
				"<Directory %[2]s>\n"+
				"AllowOverride All\nRequire all granted\n</Directory>\n</VirtualHost>\n",
			host,
			root,
		)
	}
	for folder := dir; folder != "/" &&
		strings.Contains(folder, "TestIdioms"); folder = filepath.Dir(folder) {
		require.NoError(t, os.Chmod(folder, 0o755))
	}
	at := startApache(t, text, false)
	t.Run("each", func(t *testing.T) {
		for n, i := range folders {
			host := fmt.Sprintf("a%d.example", n)
			t.Run(i.name, func(t *testing.T) {
				t.Parallel()
				compareIdiom(t, at, host, filepath.Join(dir, host, ".htaccess"), "apache", i)
			})
		}
	})
}

func TestIdiomsOfNginxAnswerTheSame(t *testing.T) {
	nginx := peer(t, "nginx")
	dir, at := t.TempDir(), freePort(t)
	all := ""
	const maps = "map $uri $moved { default \"\"; /m1 https://www.n.example/one; /m2 " +
		"https://www.n.example/two; " +
		"~^/m/([0-9]+)$ https://www.n.example/m/$1; }\n"
	for n, i := range blocks {
		host := fmt.Sprintf("b%d.example", n)
		server := fmt.Sprintf("server { listen %s; server_name %s www.%s;\n%s\n}\n", at, host, host,
			strings.ReplaceAll(i.text, "HOST", host))
		require.NoError(t, os.WriteFile(filepath.Join(dir, host+".conf"), []byte(maps+server), 0o600))
		all += server
	}
	config := filepath.Join(dir, "nginx.conf")
	require.NoError(
		t,
		os.WriteFile(config,
			[]byte(fmt.Sprintf("daemon off; pid %[1]s/pid; error_log %[1]s/error.log; events {} "+
				"http { access_log off; server_names_hash_bucket_size 128; client_body_temp_path %[1]s/b; "+
				"proxy_temp_path %[1]s/p; "+
				"fastcgi_temp_path %[1]s/f; uwsgi_temp_path %[1]s/u; scgi_temp_path %[1]s/s;\n%[2]s%[3]s}\n",
				dir, maps, all)), 0o600),
	)
	c := exec.Command(nginx, "-p", dir, "-c", config)
	c.Stderr = os.Stderr
	require.NoError(t, c.Start())
	t.Cleanup(func() { _ = c.Process.Signal(os.Interrupt); _ = c.Wait() })
	await(t, at)
	t.Run("each", func(t *testing.T) {
		for n, i := range blocks {
			host := fmt.Sprintf("b%d.example", n)
			t.Run(i.name, func(t *testing.T) {
				t.Parallel()
				compareIdiom(t, at, host, filepath.Join(dir, host+".conf"), "nginx", i)
			})
		}
	})
	assert.GreaterOrEqual(t, len(folders)+len(blocks), 60)
}

// said is what an import says.
type said struct {
	Left []struct {
		Line   int    `json:"line"`
		Reason string `json:"reason"`
	} `json:"skipped"`
	Anyway []struct {
		Line int `json:"line"`
	} `json:"anyway"`
	Differences []struct {
		URL string `json:"url"`
	} `json:"differences"`
}
