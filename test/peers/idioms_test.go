package peers

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// idioms is what frameworks, panels and servers' own documentation recommend, in one folder.
const idioms = `RewriteEngine On
RewriteBase /
RewriteRule ^café$ https://www.n.example/cafe/ [R=301,L]
RewriteRule ^a\ b$ https://www.n.example/space/ [R=301,L]
<IfModule !mod_rewrite.c>
Redirect 301 / https://www.n.example/sorry
</IfModule>
RewriteCond %{THE_REQUEST} ^[A-Z]{3,9}\ /index\.html\ HTTP/ [NC]
RewriteRule ^index\.html$ https://www.n.example/ [R=301,L]
RewriteCond %{THE_REQUEST} \s/page\.php\?id=([0-9]+)\s [NC]
RewriteRule ^page\.php$ https://www.n.example/pages/%1? [R=301,L]
RewriteCond %{REQUEST_URI} !^/blog/
RewriteRule ^about$ https://www.n.example/ueber [R=301,L]
RewriteCond %{QUERY_STRING} (^|&)id=([0-9]+)(&|$)
RewriteRule ^item\.php$ https://www.n.example/item/%2? [R=301,L]
RewriteCond %{QUERY_STRING} ^a=1&b=([^&]+)$
RewriteRule ^y\.php$ https://www.n.example/y/%1? [R=301,L]
RewriteCond %{QUERY_STRING} (?:^|&)page=contact(?:&|$)
RewriteRule ^z\.php$ https://www.n.example/contact [R=301,L]
RewriteCond %{REQUEST_URI} ^/(en|de)/start$
RewriteRule .* https://www.n.example/%1/ [R=301,L]
RewriteRule ^news/([a-z0-9-]+)\.html?$ https://www.n.example/stories/$1/ [R=301,L]
RewriteRule ^shop/(.*)\.(php|asp)$ https://www.n.example/store/$1 [R=301,L]
RewriteRule ^team(\.html?)?$ https://www.n.example/people/ [R=301,L]
RewriteRule ^tag/([^/.]+)$ https://www.n.example/topics/$1 [R=301,L]
RewriteRule ^w/(\w+)/?$ https://www.n.example/words/$1 [R=301,L]
RewriteCond %{QUERY_STRING} ^lang=fr$ [NC]
RewriteRule ^l\.php$ https://www.n.example/fr/? [R=301,L]
RewriteCond %{REQUEST_URI} ^/Big/(.*)$ [NC]
RewriteRule ^ https://www.n.example/small/%1 [R=301,L]
RewriteRule ^chain$ - [C]
RewriteRule ^chain$ https://www.n.example/chained [R=301,L]
RewriteCond %{HTTP_HOST} !^www\.n\.example$ [NC]
RewriteRule ^all/(.*)$ https://www.n.example/$1 [R=301,L]
Redirect 301 /asked?page=3 https://www.n.example/three
`

func TestIdiomsOfFoldersAnswerTheSame(t *testing.T) {
	at := startApache(t, idioms, true)
	file := filepath.Join(t.TempDir(), "old.htaccess")
	require.NoError(t, os.WriteFile(file, []byte(idioms), 0o600))
	left, differs, estate := imported(t, file, "--host", "old.example")
	assert.Equal(t, []int{31, 32, 35}, left, "a chain, and what never holds")
	agree(t, at, estate, []string{
		"/caf%C3%A9", "/caf%c3%a9?x=1", "/cafe", "/a%20b", "/index.html", "/page.php?id=7",
		"/page.php?id=x",
		"/page.php", "/about", "/about/", "/item.php?id=12", "/item.php?x=1&id=12&y=2", "/item.php?xid=3",
		"/y.php?a=1&b=c", "/y.php?a=2&b=c", "/z.php?page=contact",
		"/z.php?page=contacts", "/en/start", "/de/start", "/fr/start", "/en/start/", "/news/a-1.html",
		"/news/a-1.htm", "/news/a/b.html", "/shop/a/b.php?x", "/shop/a.asp", "/shop/a.jsp", "/team",
		"/team.html", "/team.htm", "/team.php", "/tag/lace", "/tag/a/b", "/w/abc", "/w/abc/",
		"/all/a/b?x=1",
		"/all/", "/l.php?lang=fr", "/l.php",
		"/Big/a", "/other", "/asked", "/asked?page=3",
	})
	for _, uri := range []string{"/index.html?x=1", "/page.php?id=7&more=1",
		"/BIG/x", "/w/x.x", "/y.php?a=1&b=x&more=1"} {
		if ask(t, at, uri) != predicted(t, estate, uri) {
			assert.Contains(t, differs, "http://old.example"+uri)
		}
	}
	require.NotEmpty(t, differs)
	for _, d := range differs {
		uri := strings.TrimPrefix(d, "http://old.example")
		assert.NotEqual(
			t,
			ask(t, at, uri),
			predicted(t, estate, uri),
			"what is said to differ does: %s",
			uri,
		)
	}
}

// TestLinesThatKeepURLsAreSaid: what a line keeps from those behind it a rule takes now.
func TestLinesThatKeepURLsAreSaid(t *testing.T) {
	text := `RewriteEngine On
RewriteRule ^old-(.*)$ - [L]
RewriteCond %{REQUEST_FILENAME} -f
RewriteRule ^files/(.*)$ https://www.n.example/file/$1 [R=301,L]
RewriteRule ^(.*)$ https://www.n.example/all/$1 [R=301,L]
`
	at := startApache(t, text, true)
	file := filepath.Join(t.TempDir(), "old.htaccess")
	require.NoError(t, os.WriteFile(file, []byte(text), 0o600))
	left, differs, estate := imported(t, file, "--host", "old.example")
	assert.Equal(t, []int{2, 4}, left)
	assert.Equal(t, []string{"http://old.example/old-", "http://old.example/files/"}, differs)
	assert.NotEqual(t, ask(t, at, "/old-"), predicted(t, estate, "/old-"))
	agree(t, at, estate, []string{"/a/b?x=1", "/"})
}
