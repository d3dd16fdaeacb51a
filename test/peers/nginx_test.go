package peers

import (
	"context"
	"fmt"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/plan"
	"upperpath.example/upperpath/internal/core/web"
	"upperpath.example/upperpath/internal/files"
	"upperpath.example/upperpath/internal/stage"
)

// nginx is a real nginx that carries the doors of one carrier of an estate, as an ordinary process
// in a folder of its own.
type nginx struct {
	listening
	plan       *plan.Plan
	estate     string // the estate file
	trust      string // PEM file with its authority
	challenges string
}

// startNginx writes the configuration with the built program, checks it with nginx -t, and starts
// nginx on it.
func startNginx(t *testing.T, estate string) *nginx {
	t.Helper()
	return startNginxIn(t, estate, "")
}

// startNginxIn is startNginx with folders whose names begin with a text.
func startNginxIn(t *testing.T, estate, named string) *nginx {
	t.Helper()
	binary := peer(t, "nginx")
	dir := t.TempDir()
	n := &nginx{listening: newListening(t), estate: estate,
		trust: filepath.Join(dir, "trust.pem"), challenges: filepath.Join(dir, named+"challenges")}
	e, err := files.ReadEstate(estate)
	require.NoError(t, err)
	n.plan = plan.Make(plan.Input{Estate: e.Estate, Rules: e.Rules, SiteRules: e.SiteRules,
		Pages: e.Pages})
	certificates := filepath.Join(dir, named+"certificates")
	n.certificates(certificates)
	token := filepath.Join(n.challenges, ".well-known", "acme-challenge", "token")
	require.NoError(t, os.MkdirAll(filepath.Dir(token), 0o755))
	require.NoError(t, os.WriteFile(token, []byte("proof"), 0o644))

	out, code := run(
		t,
		"",
		"write",
		"nginx",
		"--estate",
		estate,
		"--out",
		filepath.Join(dir, "conf"),
		"--listen",
		"http="+n.http,
		"--listen",
		"https="+n.https,
		"--certificates",
		certificates,
		"--challenges",
		n.challenges,
	)
	require.Contains(t, []int{0, 1}, code, out)
	config := filepath.Join(dir, "main.conf")
	user := ""
	if os.Geteuid() == 0 {
		user = "user root;\n"
	}
	require.NoError(t, os.WriteFile(config, fmt.Appendf(nil, `%sdaemon off; pcre_jit on;
pid %[2]s/pid;
error_log %[2]s/error.log;
events {}
http {
    access_log off;
    client_body_temp_path %[2]s/body; proxy_temp_path %[2]s/proxy; fastcgi_temp_path %[2]s/fastcgi; uwsgi_temp_path %[2]s/uwsgi; scgi_temp_path %[2]s/scgi;
    # what the head of nginx.conf says of its own lines
    ssl_protocols TLSv1.2 TLSv1.3;
    server { listen %[3]s ssl http2; server_name http2.invalid; ssl_reject_handshake on; }
    include %[2]s/conf/nginx.conf;
}
`, user, dir, n.https), 0o644))
	check, err := exec.Command(binary, "-t", "-p", dir, "-c", config).CombinedOutput()
	require.NoError(t, err, string(check))
	assert.NotContains(t, string(check), "warn", "nginx has nothing to say against the configuration")
	server := exec.Command(binary, "-p", dir, "-c", config)
	require.NoError(t, server.Start())
	t.Cleanup(func() {
		_ = server.Process.Signal(os.Interrupt)
		_ = server.Wait()
	})
	await(t, n.http)
	return n
}

// certificates puts a certificate for every name there, under each domain's name as the documented
// convention asks.
func (n *nginx) certificates(folder string) {
	var names []string
	for _, c := range n.plan.Certificates {
		names = append(names, c.Names...)
	}
	certificate, key, trust, err := stage.Files(stage.Certificate{Names: names})
	require.NoError(n.t, err)
	require.NoError(n.t, os.MkdirAll(folder, 0o755))
	require.NoError(n.t, os.WriteFile(n.trust, trust, 0o644))
	n.roots.AppendCertsFromPEM(trust)
	for _, d := range n.plan.Domains() {
		base := filepath.Join(folder, d.Name.String())
		require.NoError(n.t, os.WriteFile(base+".crt", certificate, 0o644))
		require.NoError(n.t, os.WriteFile(base+".key", key, 0o600))
	}
}

// predicted is what the core says to the same request.
func (n *nginx) predicted(scheme, host, uri string) string {
	path, query, _ := strings.Cut(uri, "?")
	u := web.Door{Scheme: web.Scheme(scheme), Host: web.MustParseHost(host)}.URL(path, query)
	a := n.plan.Web.Answer(context.Background(), chain.Ask{URL: u})
	return strings.TrimSpace(fmt.Sprintf("%d %s", a.Status, a.Location))
}

func TestNginxCarriesTheDemoPlanInOneHop(t *testing.T) {
	dir := t.TempDir()
	_, code := run(t, "", "demo", "--dir", dir)
	require.Zero(t, code)
	n := startNginx(t, filepath.Join(dir, "upperpath.yaml"))
	scene, err := stage.FromPlan(n.plan)
	require.NoError(t, err)
	led := 0
	for at := range scene.Endpoints {
		gateway := n.plan.Estate.Carrier("gateway")
		if !slices.Contains(gateway.Addresses, at.Addr()) {
			continue
		}
		led++
		scene.Endpoints[at] = &stage.Endpoint{
			Relay: map[uint16]string{80: n.http, 443: n.https}[at.Port()]}
	}
	require.Positive(t, led)
	s, err := stage.Start(scene)
	require.NoError(t, err)
	defer s.Close()
	own, err := os.ReadFile(n.trust)
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(n.trust, append(own, s.Trust()...), 0o644))
	vantage := filepath.Join(dir, "vantage.yaml")
	require.NoError(t, os.WriteFile(vantage, s.VantageFile(n.trust), 0o644))
	out, code := run(t, "", "audit", "--estate", n.estate, "--from", vantage, "--fail-on", "note",
		"--format", "json")
	assert.Zero(t, code, "every door is clean: %s", out)
	assert.Contains(t, out, `"server": "nginx`, "nginx was asked, not the stage")
}

func TestNginxAnswersAsPredicted(t *testing.T) {
	n := startNginx(t, "testdata/hostile/upperpath.yaml")
	hosts := []string{"old.example", "www.old.example", "gone.example", "home.example", "next.example"}
	uris := []string{
		"/", "/?", "/?q=1", "/?a=1&&b", "/opening.html", "/Opening.html", "/%6fpening.html",
		"/opening.html?x=%0d%0aSet-Cookie:%20a=b",
		"/a%2Fb", "/a%2fb", "/a/b", "/a%252Fb", "//opening.html", "/opening.html/", "/./opening.html",
		"/x/../opening.html",
		"/price$1", "/price%241", "/it's", "/it%27s", `/say"hi"`, "/say%22hi%22", "/semi;colon",
		"/semi%3Bcolon",
		"/brace%7Bd%7D", "/brace{d}",
		"/back|pipe", "/back%7cpipe", "/caf%C3%A9", "/caf%c3%a9", "/caf%c3%A9?%C3%A9", "/sp%20ace",
		"/plus+sign",
		"/plus%2Bsign", "/hash%23", "/q%3Fmark", "/per%25cent",
		"/case", "/CASE", "/Case", "/trial", "/eight", "/gone.html", "/gone.html?x", "/drop?x=1", "/own",
		"/own?q=2&all=no&r", "/own?all=1&all=2&all=3&z", "/own?%61ll=1&b=&&", "/own?&",
		"/archive/", "/archive", "/archive/1998/lace%2Fbobbin//x?y=/..",
		"/archive/%0d%0aSet-Cookie:%20a=b",
		"/archive/a/../b",
		"/item-12.html", "/item-%312.html", "/item-1a.html", "/item-.html", "/item-a%2Fb.html",
		"/item-a.b-c.html",
		"/two/x-y-z", "/two/x%2Dy", "/two/-x-", "/two/a%2db-c",
		"/.well-known/acme-challenge/none", "/.well-known/%61cme-challenge/none", "/.well-known/other",
		"/deep/path/?and=query#",
		"/secure", "/wwwonly", "/$uri", "/${up_path}", "/$args?$args=$uri", "/%24%7Bup_path%7D", "/~user",
		"/%7Euser",
		"/%7euser/", "/a:b@c!(d),e=f&g*h",
	}
	asked := 0
	for _, host := range hosts {
		for _, scheme := range []string{"http", "https"} {
			for _, uri := range uris {
				uri, _, _ = strings.Cut(uri, "#")
				assert.Equal(t, n.predicted(scheme, host, uri), n.ask(scheme, host, host, uri), "%s://%s%s",
					scheme, host, uri)
				asked++
			}
		}
	}
	pieces := []string{
		"/",
		"a",
		"archive",
		"%61",
		"%2F",
		"%2f",
		"item-",
		"12",
		".html",
		"-",
		"%0a",
		"%0D",
		"$",
		"$1",
		"%24",
		"é%",
		"case",
		"CASE",
		"own",
		"?",
		"&",
		"=",
		"all",
		"+",
		"%20",
		";",
		"'",
		`"`,
		"two",
		"//",
		".",
		"..",
		"%2e",
		"{",
		"}",
	}
	random := rand.New(rand.NewPCG(7, 11))
	for range 1500 {
		uri := "/"
		for range 1 + random.IntN(7) {
			uri += pieces[random.IntN(len(pieces))]
		}
		if uri = strings.ReplaceAll(uri, "é%", ""); hasOddEscape(uri) {
			continue
		}
		host := hosts[random.IntN(len(hosts))]
		got := n.ask("http", host, host, uri)
		if want := n.predicted("http", host, uri); want != got && got == "400" && dotted(uri) {
			continue // said in the file: dot segments beside escapes are refused
		}
		assert.Equal(t, n.predicted("http", host, uri), got, "%s%s", host, uri)
		asked++
	}
	t.Logf("%d requests compared", asked)
	assert.Greater(t, asked, 2000)
}

// TestNginxAsksForTheQueryAndDoesNotCareWhereTheOldSiteDidNot compares conditions on the query,
// captures that go into a host or query, and domains with a mode of their own.
func TestNginxAsksForTheQueryAndDoesNotCareWhereTheOldSiteDidNot(t *testing.T) {
	dir := t.TempDir()
	for name, text := range map[string]string{
		"upperpath.yaml": `canonical: https://www.n.example
carriers: {g: {by: server, addresses: [203.0.113.20]}}
domains:
  - n.example
  - old.example
  - {name: careless.example, ignore-case: yes, slash: either, index: [index.html, index.php], fallback: home}
  - {name: folders.example, index: index.html, fallback: gone}
  - {name: lazy.example, slash: either, index: index.php, leads-to: /lazy/}
rules: rules.csv
policy: {exempt: []}
`,
		"rules.csv": `old,new,status,query
old.example/index.php?page=about,/about/
old.example/index.php?page=item&id={n:digits},/items/{n}/?from=old
old.example/pages.php?page={p},/list?name={p}
old.example/index.php,/
old.example/show/{x}?lang=de,/de/{x},302
old.example/show/{x},/en/{x}
old.example/find?q={+q},/search?q={+q}
old.example/empty?x,/x,,drop
old.example/branch/{b},https://{b}.n.example/
old.example/year/{y:digits},/years?y={y}
careless.example/About/,/about/
careless.example/shop/{item}.html,/shop/{item}
careless.example/docs/{+r},/docs/{+r}
careless.example/docs/{a}/x,/dx/{a}
lazy.example/{page},/pages/{page}
lazy.example/pages/{p}.php,/p/{p}
lazy.example/{a}/{+r},/{a}/below/{+r}
folders.example/a/,/folder
folders.example/{x}/b/,/folder/{x}
`} {
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte(text), 0o600))
	}
	n := startNginx(t, filepath.Join(dir, "upperpath.yaml"))
	uris := map[string][]string{
		"old.example": {
			"/index.php?page=about",
			"/index.php?x=1&page=about&y",
			"/index.php?p%61ge=ab%6fut",
			"/index.php?page=item&id=12&z=3",
			"/index.php?id=12&page=item",
			"/index.php?page=item&id=1x",
			"/index.php?page=a+b&c",
			"/index.php?page=x&page=about",
			"/index.php?page=",
			"/index.php",
			"/index.php?pages=about",
			"/pages.php?page=a+b&c",
			"/pages.php?page=x&page=y&z",
			"/show/a%2Fb?lang=de",
			"/show/a?lang=fr",
			"/show/a",
			"/show/a?a=b?c&lang=de",
			"/find?q=a/b?c&d",
			"/find?q=",
			"/find",
			"/empty?x=",
			"/empty?x",
			"/empty?x=1&y",
			"/branch/quarry-2?x",
			"/branch/a.b",
			"/branch/a@b",
			"/year/1998?z=1&y=2",
			"/year/x",
			"/",
		},
		"careless.example": {
			"/ABOUT/",
			"/about",
			"/about/index.html",
			"/About/INDEX.php?x",
			"/about/index.htm",
			"/shop/Red%2fCup.HTML/",
			"/shop/a.html",
			"/docs",
			"/docs/",
			"/DOCS/A/b/",
			"/docs/A/X",
			"/docs/A/x/index.html",
			"/index.php",
			"/",
			"/aboutindex.php",
		},
		"lazy.example": {
			"/",
			"//",
			"/index.php",
			"/index.php?x=1",
			"/about",
			"/about/",
			"/about/index.php",
			"/pages/index.php",
			"/pages/x.php",
			"/pages/x.php/",
			"/q//",
			"/q/",
			"/q//index.php",
		},
		"folders.example": {"/a/", "/a", "/a/index.html", "/x/b/index.html", "/x/b", "/a/INDEX.html"},
	}
	for host, all := range uris {
		for _, uri := range all {
			assert.Equal(t, n.predicted("http", host, uri), n.ask("http", host, host, uri), "%s%s", host,
				uri)
		}
	}
	pieces := []string{
		"/",
		"index.php",
		"pages.php",
		"?",
		"&",
		"page=",
		"about",
		"item",
		"id=",
		"1",
		"a",
		"x",
		"show",
		"lang=de",
		"q=",
		"=",
		"%61",
		"+",
		"docs",
		"ABOUT",
		"About",
		"index.html",
		".html",
		"shop",
		"b",
	}
	random := rand.New(rand.NewPCG(5, 6))
	for range 1200 {
		uri := "/"
		for range 1 + random.IntN(7) {
			uri += pieces[random.IntN(len(pieces))]
		}
		host := []string{"old.example", "careless.example", "folders.example",
			"lazy.example"}[random.IntN(4)]
		assert.Equal(t, n.predicted("http", host, uri), n.ask("http", host, host, uri), "%s%s", host, uri)
	}
}

func (n *nginx) normal(answer string) string { return answer }

// refuses tells what nginx refuses by itself: dot segments beside escapes, and a percent sign that
// starts no escape.
func (n *nginx) refuses(uri string) bool { return dotted(uri) || hasOddEscape(uri) }

func dotted(uri string) bool {
	path, _, _ := strings.Cut(uri, "?")
	// nginx decodes before it looks for dots
	path = strings.NewReplacer("%2f", "/", "%2F", "/").Replace(path)
	return web.RemoveDotSegments(path) != path
}

func hasOddEscape(uri string) bool {
	path, _, _ := strings.Cut(uri, "?")
	return strings.Contains(web.NormalPath(path), "%25")
}

func TestNginxUpgradesOnTheSameHostFirstWhereThePolicySaysSo(t *testing.T) {
	dir := t.TempDir()
	for name, text := range map[string]string{
		"upperpath.yaml": "canonical: https://www.n.example\n" +
			"carriers: {g: {by: server, addresses: [203.0.113.20]}}\n" +
			"domains: [n.example, old.example]\nrules: rules.csv\n" +
			"policy: {upgrade: same-host-first, status: 308, exempt: []}\n",
		"rules.csv": "old,new\nold.example/x,/y\n",
	} {
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte(text), 0o600))
	}
	n := startNginx(t, filepath.Join(dir, "upperpath.yaml"))
	for _, scheme := range []string{"http", "https"} {
		for _, uri := range []string{"/", "/x?q", "/a%2Fb//c", "/.well-known/acme-challenge/token"} {
			assert.Equal(
				t,
				n.predicted(scheme, "old.example", uri),
				n.ask(scheme, "old.example", "old.example", uri),
				"%s %s",
				scheme,
				uri,
			)
		}
	}
	assert.Equal(t, "308 https://old.example/x?q", n.ask("http", "", "old.example", "/x?q"))
}

func TestNginxRefusesHostsThatAreNotThere(t *testing.T) {
	n := startNginx(t, "testdata/hostile/upperpath.yaml")
	assert.Equal(t, "421", n.ask("http", "", "stranger.example", "/"))
	assert.Contains(t, n.ask("https", "stranger.example", "stranger.example", "/"), "no connection")
	assert.Equal(t, "421", n.ask("https", "old.example", "stranger.example", "/opening.html"))
	assert.Contains(t, n.ask("http", "", "", "/"), "400")
}

func TestNginxRefusesWhatItsFileSaysItRefuses(t *testing.T) {
	n := startNginx(t, "testdata/hostile/upperpath.yaml")
	for _, uri := range []string{"/archive/..%2f..", "/archive/%2e/b%20c", "/100%", "/x%00y",
		"/\xc3\xb8",
		"/opening.html?\xc3"} {
		assert.Equal(t, "400", n.ask("http", "", "old.example", uri), uri)
	}
}

func TestNginxAnswersExemptPathsFromAFolder(t *testing.T) {
	n := startNginx(t, "testdata/hostile/upperpath.yaml")
	assert.Equal(t, "200", n.ask("http", "", "old.example", "/.well-known/acme-challenge/token"))
	assert.Equal(
		t,
		"301 https://www.n.example/mill/.well-known/acme-challenge/token",
		n.ask("https", "old.example", "old.example", "/.well-known/acme-challenge/token"),
	)
}

// oddName is a name for folders that holds all that means something in a configuration file.
const oddName = `o'd "$d ${d} \$ {;}#%{HTTP_HOST} $1 * ø`

func TestNginxReadsFoldersOfAnyName(t *testing.T) {
	n := startNginxIn(t, "testdata/hostile/upperpath.yaml", oddName)
	assert.Equal(t, "200", n.ask("http", "", "old.example", "/.well-known/acme-challenge/token"))
	assert.Equal(t, "301 https://www.n.example/mill/",
		n.ask("https", "old.example", "old.example", "/"))
}
