package peers

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"upperpath.example/upperpath/test/worlds"
)

// TestCapturesMoveBetweenPathAndQuery asks real servers about 30 tables whose captures move from
// the query into the path and back, with values that mean something else there.
func TestCapturesMoveBetweenPathAndQuery(t *testing.T) {
	t.Parallel() // most of it is waiting
	estate := `canonical: https://www.n.example
site: {hosts: [www.n.example]}
carriers:
  g: {by: server, addresses: [203.0.113.20]}
rules: rules.csv
domains:
`
	var hosts []string
	for i, name := range []string{"old", "t1", "t2", "t3", "t4", "t5"} {
		hosts = append(hosts, name+".example")
		estate += "  - {name: " + hosts[i] + []string{", fallback: gone}\n",
			", ignore-case: yes, slash: either, index: [index.php]}\n"}[i%2]
	}
	old := []string{
		"/index.php?page={p}", "/index.php?page=contact", "/index.php?page={p}&id={n:digits}",
		"/index.php?id={n:digits}", "/find?q={+q}", "/show/{x}", "/show/{x}?lang={l}", "/tag/{+r}",
		"/tag/{a}-{b}.html", "/{x}/view?part={p}", "/list?sort=a{p}", "/{n:digits}/{+r}",
	}
	targets := map[string][]string{
		"p": {"/{p}/", "/pages/{p}", "/a?to={p}", "/x-{p}-y"}, "n": {"/{n}", "/?id={n}"},
		"q": {"/search/{+q}", "/search?for={+q}"}, "x": {"/?show={x}", "/{x}/", "/a/{x}?b={x}#c"},
		"l": {"/{l}/"}, "r": {"/?r={+r}&own=1", "/{+r}"}, "a": {"/{a}/{b}", "/{b}?{a}", "/?b={a}&c={b}"},
		"contact": {"/contact/"},
	}
	values := []string{
		"x", "a+b", "a%20b", "7", "0", "a&b", "a=b", "a?b", "contact", "+", "caf%C3%A9", "a%2Bb",
		"a%26b%3Dc", "q+r+s+t+u+v+w+x+y+z", "a/b", "..", "a'b", "!$*,;:@~", "%41", "1+2?3+4?5", "&=+", "",
		strings.Repeat("w+", 30) + "w", "a%2Fb", "%3f",
		"a|b", `a\b`, "{x}", "a^b", "[1]", `a"b`, "a<b>", "../x", "./", "a/../b",
	}
	random := rand.New(rand.NewPCG(34, 2))
	kinds, asked, differ := map[string]int{}, map[string]int{}, 0
	for range 5 {
		world := worlds.World{Estate: estate}
		var requests []request
		for _, host := range hosts {
			for i := range random.IntN(6) + 3 {
				from := old[random.IntN(len(old))]
				var to []string
				for name, all := range targets {
					if strings.Contains(from, "{"+name+"}") || strings.Contains(from, "{"+name+":") ||
						strings.Contains(from, "{+"+name+"}") || strings.HasSuffix(from, "="+name) {
						to = append(to, all...)
					}
				}
				if len(to) == 0 {
					continue
				}
				line := host + from + "," + pick(random, to)
				line += "," + []string{"", "302", "308"}[random.IntN(3)] + "," +
					[]string{"", "drop"}[random.IntN(2)] + "," + fmt.Sprint(i)
				world.Rules = append(world.Rules, line)
			}
			for range 40 {
				uri := old[random.IntN(len(old))]
				for strings.Contains(uri, "{") {
					begin, end := strings.IndexByte(uri, '{'), strings.IndexByte(uri, '}')
					value := values[random.IntN(len(values))]
					if !strings.Contains(uri[:begin], "?") { // browsers send neither in a path
						value = strings.NewReplacer(`\`, "", "?", "").Replace(value)
					}
					uri = uri[:begin] + value + uri[end+1:]
				}
				if random.IntN(3) == 0 {
					uri += []string{"?", "&"}[min(1, strings.Count(uri, "?"))] + "more=a+b"
				}
				requests = append(requests, request{[]string{"http", "https"}[random.IntN(2)], host, uri})
			}
		}
		for name, start := range realServers {
			n, other := compare(t, name, world, requests, start, kinds)
			asked[name] += n
			if other {
				differ++
			}
		}
	}
	assert.Zero(t, differ)
	assert.Greater(t, kinds["301"]+kinds["302"]+kinds["308"], 1000)
	for name := range realServers {
		least := 1000
		if name == "caddy" { // which says that it cannot hold most of these rules
			least = 500
		}
		assert.Greater(t, asked[name], least, name)
	}
}

func pick(random *rand.Rand, all []string) string { return all[random.IntN(len(all))] }
