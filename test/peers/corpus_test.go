package peers

import (
	"fmt"
	"math/rand/v2"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"regexp/syntax"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"upperpath.example/upperpath/internal/core/rule"
	"upperpath.example/upperpath/internal/core/web"
	"upperpath.example/upperpath/internal/imports"
)

// idiom is one way in which people write redirects.
type idiom struct {
	number         int
	kind, expected string
	text           string
	tried          []string // paths with their queries
}

func (i idiom) host() string { return fmt.Sprintf("i%d.example", i.number) }

// written gives its lines for a host at an address.
func (i idiom) written(at string) string {
	return strings.NewReplacer("HTTP_HOST", "HTTP_HOST", "HOST", i.host(), "NN",
		fmt.Sprint(i.number), "LISTEN", at).Replace(i.text)
}

// readIdioms reads the corpus.
func readIdioms(t *testing.T, file string) []idiom {
	t.Helper()
	data, err := os.ReadFile(file)
	require.NoError(t, err)
	var all []idiom
	for line := range strings.Lines(string(data)) {
		words := strings.Fields(line)
		switch {
		case strings.HasPrefix(line, "== "):
			require.Len(t, words, 3, line)
			all = append(all, idiom{number: len(all) + 1, kind: words[1], expected: words[2]})
		case strings.HasPrefix(line, "-- "):
			last := &all[len(all)-1]
			last.tried = append(last.tried, words[1:]...)
		case len(all) > 0 && len(words) > 0:
			all[len(all)-1].text += line
		}
	}
	return all
}

// drawn gives a text that an expression takes, "" where it cannot be read.
func drawn(r *rand.Rand, expression string) string {
	parsed, err := syntax.Parse(expression, syntax.Perl)
	if err != nil {
		return ""
	}
	var b strings.Builder
	var draw func(*syntax.Regexp)
	draw = func(x *syntax.Regexp) {
		repeat := func(least, most int) {
			for range least + r.IntN(max(1, most-least+1)) {
				draw(x.Sub[0])
			}
		}
		switch x.Op {
		case syntax.OpLiteral:
			b.WriteString(string(x.Rune))
		case syntax.OpCharClass:
			b.WriteString(fromClass(r, x.Rune))
		case syntax.OpAnyChar, syntax.OpAnyCharNotNL:
			b.WriteByte("ab7-"[r.IntN(4)])
		case syntax.OpStar:
			repeat(0, 3)
		case syntax.OpPlus:
			repeat(1, 3)
		case syntax.OpQuest:
			repeat(0, 1)
		case syntax.OpRepeat:
			repeat(x.Min, max(x.Min, min(x.Max, x.Min+2)))
		case syntax.OpAlternate:
			draw(x.Sub[r.IntN(len(x.Sub))])
		case syntax.OpConcat, syntax.OpCapture:
			for _, sub := range x.Sub {
				draw(sub)
			}
		}
	}
	draw(parsed)
	return b.String()
}

// fromClass draws a character of a class, one that stands in paths where there is any.
func fromClass(r *rand.Rand, ranges []rune) string {
	var usual []rune
	for c := '!'; c <= '~'; c++ {
		for i := 0; i < len(ranges); i += 2 {
			if c >= ranges[i] && c <= ranges[i+1] && strings.ContainsRune("abzAZ079-_.:+~", c) {
				usual = append(usual, c)
			}
		}
	}
	if len(usual) == 0 {
		return string(ranges[0])
	}
	return string(usual[r.IntN(len(usual))])
}

var (
	ofQuery = regexp.MustCompile(
		`(?:QUERY_STRING\}|\$args|\$query_string)\s+(?:~\*?\s*)?"?(\S+?)"?[\s)]`,
	)
	quoted = regexp.MustCompile(`"[^"]*"|\S+`)
)

// urlsOf gives paths with queries made from the expressions of an idiom, what nearly fits them, and
// those that it names.
func urlsOf(i idiom) []string {
	r := rand.New(rand.NewPCG(uint64(len(i.text)), 7))
	text := i.written("127.0.0.1:80")
	var paths, queries []string
	for _, m := range ofQuery.FindAllStringSubmatch(text, -1) {
		for range 3 {
			queries = append(queries, drawn(r, strings.TrimLeft(m[1], "!=")))
		}
	}
	for _, word := range quoted.FindAllString(text, -1) {
		word = strings.Trim(word, `"'(){};`)
		word = strings.TrimLeft(word, "!=~*")
		if strings.Contains(word, "://") || strings.HasPrefix(word, "$") ||
			strings.ContainsAny(word, "<>") && !strings.Contains(word, "(?<") ||
			strings.HasPrefix(word, "[") ||
			!strings.ContainsAny(word, `^/.$\`) ||
			strings.HasPrefix(word, "%") {
			continue
		}
		path, query, asks := strings.Cut(word, "?")
		if strings.ContainsAny(word, `^$\(`) || !asks {
			path = word
		} else {
			queries = append(queries, query)
		}
		for range 4 {
			if drawn := drawn(r, path); drawn != "" && len(drawn) < 200 {
				paths = append(paths, drawn)
			}
		}
	}
	for _, u := range i.tried {
		path, query, asks := strings.Cut(u, "?")
		paths = append(paths, path)
		if asks {
			queries = append(queries, query)
		}
	}
	all := slices.Clone(i.tried)
	queries = append(queries, "x=1", "x=1&y=a+b")
	for _, path := range paths {
		path = "/" + strings.TrimLeft(path, "/")
		path, query, asks := strings.Cut(path, "?")
		for _, p := range []string{path, path + "/x", strings.TrimSuffix(path, path[len(path)-1:]),
			path + "x",
			strings.ToUpper(path)} {
			if p == "" {
				continue
			}
			if !strings.Contains(p, "%") {
				p = (&url.URL{Path: p}).EscapedPath()
			}
			all = append(all, p)
			if asks {
				all = append(all, p+"?"+strings.ReplaceAll(query, " ", "%20"))
			}
			q := queries[r.IntN(len(queries))]
			all = append(all, p+"?"+q, p+"?"+q+"&z=1")
		}
	}
	slices.Sort(all)
	all = slices.Compact(all)
	all = slices.DeleteFunc(all, func(u string) bool {
		path, query, _ := strings.Cut(u, "?")
		return strings.Contains(path, "//") || strings.Contains(path+"/", "/./") ||
			strings.Contains(path+"/", "/../") || strings.ContainsAny(u, " \t\r\n\"<>\\^`{|}#") ||
			strings.Contains(query, "%00") || !printable(u) || strings.HasSuffix(u, "?")
	})
	r.Shuffle(len(all), func(a, b int) { all[a], all[b] = all[b], all[a] })
	return append(slices.Clone(i.tried), all[:min(len(all), 60)]...)
}

func printable(s string) bool {
	for _, c := range []byte(s) {
		if c <= ' ' || c >= 0x7F {
			return false
		}
	}
	return true
}

// outcome reads an idiom, asks the server and the rules for its URLs, and gives what came of it.
func outcome(t *testing.T, i idiom, at string) (is string, why []string) {
	t.Helper()
	var m imports.Import
	switch text := i.written(at); i.kind {
	case "nginx":
		m = imports.ReadNginx(text, i.host(), nil)
	case "haproxy":
		m = imports.ReadHAProxy(text, i.host(), nil)
	case "caddy":
		m = imports.ReadCaddy(text, i.host(), nil)
	default:
		m = imports.ReadApache(text, i.host(), imports.Place{Server: i.kind == "server"}, nil)
	}
	m.Settle(rule.Scope{})
	canonical := web.Door{Scheme: web.HTTPS, Host: mustHost(t, "www.n.example")}
	differs := m.Differences(rule.Scope{}, canonical)
	reader := rule.NewReader(rule.Scope{})
	var rules []*rule.Rule
	for _, r := range m.Rules {
		one, faults := reader.Read(r.Row)
		require.Empty(t, faults, r.Text)
		rules = append(rules, one)
	}
	table := rule.Compile(rules, rule.Scope{})
	is = "right"
	switch {
	case len(m.Skipped) > 0:
		is = "left"
	case len(differs) > 0:
		is = "differs"
	case len(m.Anyway) > 0 && len(m.Rules) == 0:
		is = "anyway"
	}
	for _, l := range m.Skipped {
		why = append(why, "left: "+l.Reason)
	}
	gives := func(u web.URL) string {
		match, ok := table.Lookup(u)
		if !ok {
			return ""
		}
		if match.Rule.Status == 410 {
			return "410"
		}
		return fmt.Sprintf("%d %s", match.Rule.Status, match.Location(canonical))
	}
	for _, path := range urlsOf(i) {
		u, err := web.ParseURL("http://" + i.host() + path)
		if err != nil {
			continue
		}
		got, want := answered(t, i, at, path), gives(u)
		switch {
		case got == want:
		case want == "" && (len(m.Skipped) > 0 || len(differs) > 0):
		case want != "" && len(differs) > 0:
		case strings.HasPrefix(path, "/.well-known/acme-challenge/"): // which doors leave alone
		case len(m.Anyway) > 0 && want == "" && strings.Contains(got, i.host()+path):
		default:
			is = "WRONG"
			why = append(why, fmt.Sprintf("%s: the server %q, the rules %q", path, got, want))
		}
	}
	for _, d := range differs {
		u, err := web.ParseURL(d.URL)
		require.NoError(t, err)
		if rest, ours := strings.CutPrefix(d.URL, "http://"+i.host()); ours &&
			!strings.Contains(d.Says, " may ") {
			if answered(t, i, at, rest) == gives(u) && is != "WRONG" {
				is = "overstated"
				why = append(why, "said to differ, and does not: "+d.URL+" "+d.Says)
			}
		}
		why = append(why, "differs: "+d.URL+" "+d.Says)
	}
	return is, why
}

// answered gives status and target of a redirect, "" for any other answer.
func answered(t *testing.T, i idiom, at, path string) string {
	t.Helper()
	got := askHost(t, at, i.host(), path)
	status, target, _ := strings.Cut(got, " ")
	for _, asked := range []string{":" + at[strings.LastIndexByte(at, ':')+1:], ""} {
		for _, host := range []string{i.host(), "www." + i.host()} {
			if rest, own := strings.CutPrefix(target, "http://"+host+asked+"/"); own {
				target = "https://" + host + "/" + rest
			}
		}
	}
	target = strings.Replace(target, ":443/", "/", 1) // which every URL of https has
	switch {
	case status == "410":
		return "410"
	case status[0] == '3' && target != "":
		return status + " " + target
	}
	return ""
}

func mustHost(t *testing.T, name string) web.Host {
	t.Helper()
	h, err := web.ParseHost(name)
	require.NoError(t, err)
	return h
}

// startIdioms starts the servers with all idioms, each a host of its own.
func startIdioms(t *testing.T, all []idiom) map[string]string {
	t.Helper()
	addresses := map[string]string{}
	dir, at := t.TempDir(), freePort(t)
	var hosts strings.Builder
	for _, i := range all {
		if i.kind != "folder" && i.kind != "server" {
			continue
		}
		root := filepath.Join(dir, "root", fmt.Sprint(i.number))
		require.NoError(t, os.MkdirAll(root, 0o755))
		inside := i.written(at)
		if i.kind == "folder" {
			require.NoError(t, os.WriteFile(filepath.Join(root, ".htaccess"), []byte(inside), 0o644))
			inside = ""
		}
		fmt.Fprintf(
			&hosts,
			"<VirtualHost *>\nServerName %[1]s\nServerAlias www.%[1]s\nDocumentRoot %[2]s\n"+
				"<Directory %[2]s>\nAllowOverride All\nRequire all granted\n</Directory>\n%[3]s\n"+
				"</VirtualHost>\n",
			i.host(),
			root,
			inside,
		)
	}
	addresses["folder"] = startApacheAt(t, dir, at, hosts.String())
	addresses["server"] = addresses["folder"]
	at = freePort(t)
	var servers strings.Builder
	for _, i := range all {
		if i.kind == "nginx" {
			servers.WriteString(i.written(at))
		}
	}
	addresses["nginx"] = startNginxAt(t, at, servers.String())
	for kind, start := range map[string]func(*testing.T, []idiom) string{"haproxy": startHAProxyIdioms,
		"caddy": startCaddyIdioms} {
		if slices.ContainsFunc(all, func(i idiom) bool { return i.kind == kind }) {
			addresses[kind] = start(t, all)
		}
	}
	return addresses
}

// startHAProxyIdioms starts HAProxy with a backend for each idiom.
func startHAProxyIdioms(t *testing.T, all []idiom) string {
	t.Helper()
	haproxy, dir, at := peer(t, "haproxy"), t.TempDir(), freePort(t)
	var front, back strings.Builder
	fmt.Fprintf(&front, "defaults\n    mode http\n    timeout client 10s\n    timeout connect 5s\n"+
		"    timeout server 10s\nfrontend all\n    log 127.0.0.1:9 local0\n    option httplog\n"+
		"    bind %s\n", at)
	for _, i := range all {
		if i.kind == "haproxy" {
			fmt.Fprintf(&front, "    use_backend i%d if { hdr(host) -i %s www.%[2]s }\n", i.number, i.host())
			fmt.Fprintf(&back, "backend i%d\n%s", i.number, i.written(at))
		}
	}
	config := filepath.Join(dir, "haproxy.cfg")
	require.NoError(t, os.WriteFile(config, []byte(front.String()+back.String()), 0o600))
	serve(t, exec.Command(haproxy, "-db", "-q", "-f", config))
	await(t, at)
	return at
}

// startCaddyIdioms starts Caddy with a site for each idiom.
func startCaddyIdioms(t *testing.T, all []idiom) string {
	t.Helper()
	caddy, dir, at := peer(t, "caddy"), t.TempDir(), freePort(t)
	text := "{\n\tadmin off\n\tauto_https off\n\tstorage file_system \"" + dir + "\"\n}\n"
	for _, i := range all {
		if i.kind == "caddy" {
			port := at[strings.LastIndexByte(at, ':'):]
			text += fmt.Sprintf(
				"http://%s%s, http://www.%[1]s%[2]s {\n\tbind 127.0.0.1\n%s}\n",
				i.host(),
				port,
				i.written(at),
			)
		}
	}
	config := filepath.Join(dir, "Caddyfile")
	require.NoError(t, os.WriteFile(config, []byte(text), 0o600))
	serve(t, exec.Command(caddy, "run", "--config", config, "--adapter", "caddyfile"))
	await(t, at)
	return at
}

func startNginxAt(t *testing.T, at, servers string) string {
	t.Helper()
	nginx, dir := peer(t, "nginx"), t.TempDir()
	config := filepath.Join(dir, "nginx.conf")
	require.NoError(t, os.WriteFile(config, fmt.Appendf(nil,
		"daemon off; pid %[1]s/pid; error_log stderr crit; events {} http { access_log off; "+
			"server_names_hash_bucket_size 128; client_body_temp_path %[1]s/b; proxy_temp_path %[1]s/p; "+
			"fastcgi_temp_path %[1]s/f; uwsgi_temp_path %[1]s/u; scgi_temp_path %[1]s/s; root %[1]s/none;\n"+
			"merge_slashes off; server_tokens off;\n%[2]s}\n", dir, servers), 0o600))
	c := exec.Command(nginx, "-p", dir, "-c", config)
	c.Stderr = os.Stderr
	require.NoError(t, c.Start())
	t.Cleanup(func() { _ = c.Process.Signal(os.Interrupt); _ = c.Wait() })
	await(t, at)
	return at
}

// TestTheCorpusOfIdioms reads every idiom, and compares what real servers answer with what the
// rules give.
func TestTheCorpusOfIdioms(t *testing.T) {
	t.Parallel() // most of it is waiting
	file := "testdata/idioms.txt"
	if other := os.Getenv("IDIOMS"); other != "" {
		file = other
	}
	all := readIdioms(t, file)
	addresses := startIdioms(t, all)
	counts, asked := map[string]int{}, 0
	for _, i := range all {
		is, why := outcome(t, i, addresses[i.kind])
		if is == "left" && i.expected == "gap" {
			is = "gap"
		}
		counts[is]++
		asked += len(urlsOf(i))
		assert.Equal(t, i.expected, is, "idiom %d (%s)\n%s%s", i.number, i.kind, i.text,
			strings.Join(why, "\n"))
	}
	t.Logf("%d idioms, %d requests: %v", len(all), asked, counts)
	assert.Zero(t, counts["WRONG"])
}
