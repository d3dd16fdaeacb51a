package chain

import (
	"context"
	"net/netip"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/web"
)

// page makes a page of the site, or of whoever the URL names, that was asked over TLS and asks
// browsers to remember it.
func page(url string, change func(*Answer)) Answer {
	a := Answer{URL: web.MustParseURL(url), Status: 200, Address: "203.0.113.10:443",
		Headers: &Headers{HSTS: "max-age=31536000"}, Page: &Document{Title: "Opening hours"}}
	if change != nil {
		change(&a)
	}
	return a
}

// judged follows a URL and judges it against its goal.
func judged(entry, goal string, probe Probe, answers ...Answer) Chain {
	c := Follow(context.Background(), fixed(answers), Ask{URL: web.MustParseURL(entry)}, probe)
	estateJudge().Chain(&c, Goal{Target: web.MustParseURL(goal), Hops: 1})
	return c
}

// said gives findings as CODE SEVERITY SUBJECT SAYS.
func said(c Chain) string {
	var all []string
	for _, f := range c.Findings {
		all = append(all, f.Code.String()+" "+string(f.Severity)+" "+f.Subject+": "+f.Says.String())
	}
	return strings.Join(all, "\n")
}

func TestWhatAPageSaysOfItself(t *testing.T) {
	const visit = www + "/visit/"
	moved := Answer{URL: web.MustParseURL(old + "/visit/"), Status: 301, Location: visit}
	for name, c := range map[string]struct {
		change func(*Answer)
		want   []string // what is said, "" for nothing
	}{
		"nothing": {nil, nil},
		"no such page": {
			func(a *Answer) { a.Page.Title = "Page not found" },
			[]string{"dead-end warning " + visit + ": " + visit +
				` says that the page was not found ("Page not found"), but answers 200.`},
		},
		"no such page, by its heading": {
			func(a *Answer) { a.Page = &Document{Heading: "404"} },
			[]string{`says that the page was not found ("404"), but answers 200.`},
		},
		"hidden by its element": {
			func(a *Answer) { a.Page.NoIndex = true },
			[]string{"noindex warning " + visit + ": " + visit +
				" tells search engines not to list it: its robots element"},
		},
		"hidden by its header, and no page": {
			func(a *Answer) { a.Page, a.Headers.Robots = nil, "noindex" },
			[]string{"its X-Robots-Tag header says noindex"},
		},
		"another canonical host": {
			func(a *Answer) { a.Page.Canonical = old + "/visit/" },
			[]string{"canonical-disagrees warning " + visit + ": " + visit +
				" says by rel=canonical that it belongs to " +
				old + "/visit/, not to www.n.example."},
		},
		"its own canonical host": {func(a *Answer) { a.Page.Canonical = www + "/other" }, nil},
		"another host by og:url": {
			func(a *Answer) { a.Page.Social = "https://elsewhere.example/" },
			[]string{"says by og:url that it belongs to https://elsewhere.example/"},
		},
		"languages live elsewhere": {
			func(a *Answer) {
				a.Page.Languages = []Link{{URL: "https://elsewhere.example/de", Element: "link", Line: 3}}
			}, nil,
		},
		"a language at an old host": {
			func(a *Answer) { a.Page.Languages = []Link{{URL: old + "/de", Element: "link", Line: 3}} },
			[]string{"says by hreflang that it belongs to " + old + "/de"},
		},
		"links to old hosts": {
			func(a *Answer) {
				a.Page.Links = []Link{{URL: old + "/a", Element: "a", Line: 7},
					{URL: "https://elsewhere.example/", Element: "a", Line: 8},
					{URL: www + "/b", Element: "a", Line: 9}}
			},
			[]string{"leftover-link note " + visit + ": " + visit +
				" still links to 1 host that only redirects: " + old +
				"/a (a, line 7)."},
		},
		"links to two old hosts": {
			func(a *Answer) {
				a.Page.Links = []Link{{URL: old + "/a", Element: "a", Line: 7},
					{URL: "https://www.old.example/", Element: "img", Line: 8}}
			},
			[]string{"still links to 2 hosts that only redirect: "},
		},
		"parts over http": {
			func(a *Answer) {
				a.Page.Insecure = []Link{{URL: "http://elsewhere.example/x.png", Element: "img", Line: 4}}
			},
			[]string{"mixed-content warning " + visit + ": " + visit +
				" loads 1 part over http, which browsers block: http://elsewhere.example/x.png (img, line 4)."},
		},
		"pictures and a form over http": {
			func(a *Answer) {
				a.Page.Insecure = []Link{{URL: "http://elsewhere.example/x.png", Element: "img", Line: 4,
					How: Passive}, {URL: "http://elsewhere.example/", Element: "form", Line: 5, How: Sent}}
			},
			[]string{"asks for 1 part over http (http://elsewhere.example/x.png (img, line 4)); " +
				"browsers ask",
				"sends what visitors type over http"},
		},
		"a script that may send on": {
			func(a *Answer) { a.Page.May = []May{{To: "/m", Line: 12}, {Line: 14}} },
			[]string{"soft-redirect warning " + www + ": " + visit +
				" may redirect to /m (script, line 12): that depends on what was not seen."},
		},
		"a script that could not be read": {
			func(a *Answer) { a.Page.May = []May{{Line: 3, Unread: true}} },
			[]string{"may redirect (script, line 3): the script could not be read"},
		},
		"hidden from one": {
			func(a *Answer) { a.Page.NoIndexFor = []string{"googlebot"} },
			[]string{"not to list it: its markup hides it from googlebot."},
		},
		"hidden from one by a header": {
			func(a *Answer) { a.Headers.Robots = "noarchive; BingBot: nofollow, noindex" },
			[]string{"not to list it: its X-Robots-Tag header hides it from bingbot."},
		},
		"a name that holds for its own header alone": {
			func(a *Answer) { a.Headers.Robots = "bingbot: nofollow; noindex" },
			[]string{"its X-Robots-Tag header says bingbot: nofollow; noindex"},
		},
		"a day on which it goes": {
			func(a *Answer) { a.Headers.Robots = "unavailable_after: 25 Jun 2030 15:00:00 PST, noarchive" },
			nil,
		},
		"a Link header of the old host": {
			func(a *Answer) { a.Headers.Canonical = old + "/visit/" },
			[]string{"canonical-disagrees warning " + visit + ": " + visit + " says by a Link header"},
		},
		"a Link header of its own": {func(a *Answer) { a.Headers.Canonical = "/visit/" }, nil},
		"canonical over http": {
			func(a *Answer) { a.Page.Canonical = "http" + strings.TrimPrefix(visit, "https") },
			[]string{"says by rel=canonical that its address is http://"},
		},
		"packed in a way nobody reads": {
			func(a *Answer) { a.Page, a.Unread = nil, "compress" },
			[]string{"turned-away warning " + www + ": " + www +
				" answers with a page packed as \"compress\", which was not read"},
		},
		"busy": {
			func(a *Answer) { a.Page, a.Status, a.Headers.RetryIn = nil, 503, "120" },
			[]string{"turned-away warning " + www + ": " + www +
				" answers 503: it is busy, and asks for a pause of 120 s."},
		},
		"no HSTS": {
			func(a *Answer) { a.Headers = nil },
			[]string{"hsts-missing note " + www + ": " + www +
				" does not tell browsers to use https only (HSTS)."},
		},
		"HSTS of no time": {
			func(a *Answer) { a.Headers.HSTS = "max-age=0" },
			[]string{"does not tell browsers to use https only"},
		},
		"HSTS that no browser takes": {
			func(a *Answer) { a.Headers.HSTS = "max-age=1; max-age=2" },
			[]string{"sends a Strict-Transport-Security header that browsers ignore: max-age=1; " +
				"max-age=2."},
		},
		"short HSTS": {
			func(a *Answer) { a.Headers.HSTS = "max-age=86400" },
			[]string{"hsts-short note " + www + ": " + www +
				" tells browsers to use https only for just 24 h"},
		},
		"half a year of HSTS": {func(a *Answer) { a.Headers.HSTS = "max-age=15552000" }, nil},
		"a day less": {func(a *Answer) { a.Headers.HSTS = "max-age=15465600" },
			[]string{"hsts-short"}},
		"nobody was asked": {func(a *Answer) { a.Address, a.Headers = "", nil }, nil},
	} {
		got := judged(old+"/visit/", visit, ByRule, moved, page(visit, c.change))
		text := said(got)
		if assert.Len(t, got.Findings, len(c.want), "%s: %s", name, text) && len(c.want) > 0 {
			assert.Contains(t, text, c.want[0], name)
		}
	}
	// What was made up for a probe has no page, and says nothing of any.
	missing := page(www+deepPath, func(a *Answer) { a.Page.Title = "Not found" })
	assert.Empty(t, said(judged(old+deepPath, www+deepPath, Deep,
		Answer{URL: web.MustParseURL(old + deepPath), Status: 301, Location: www + deepPath}, missing)))
	// An error is no page.
	gone := page(visit, func(a *Answer) { a.Status, a.Page.NoIndex = 300, true })
	assert.NotContains(t, said(judged(old+"/visit/", visit, ByRule, moved, gone)), "noindex")
}

func TestPagesThatSendVisitorsOn(t *testing.T) {
	for by, words := range map[string]string{
		ByHeader: "by a Refresh header", ByMeta: "by its markup (meta refresh), line 3",
		ByScript: "by a script, line 3",
	} {
		soft := &Soft{By: by, To: www + "/", Line: 3}
		if by == ByHeader {
			soft.Line = 0
		}
		got := judged("https://old.example/", www+"/", Root,
			Answer{URL: web.MustParseURL("https://old.example/"), Status: 200, Soft: soft},
			page(www+"/", nil))
		assert.Contains(t, said(got), "soft-redirect", by)
		assert.Contains(t, said(got),
			"https://old.example/ sends visitors to "+www+" "+words+", not by a redirect.")
		assert.NotContains(t, said(got), "downgrade")
	}
	down := judged("https://old.example/", www+"/", Root,
		Answer{URL: web.MustParseURL("https://old.example/"), Status: 200,
			Soft: &Soft{By: ByMeta, To: "http://www.n.example/"}},
		Answer{URL: web.MustParseURL("http://www.n.example/"), Status: 301, Location: www + "/"},
		page(www+"/", nil))
	assert.Contains(t, said(down), "downgrade")
	assert.Contains(t, said(down),
		"https://old.example redirects from https to http://www.n.example.")
}

func TestFramesSayWhatTheyShow(t *testing.T) {
	framed := Answer{URL: web.MustParseURL(old + "/"), Status: 200, Framed: www + "/"}
	for words, shown := range map[string]Answer{
		"shows " + www + "/ in a frame, instead": page(www+"/", nil),
		"shows " + www +
			"/ in a frame, which answers 400, instead": {URL: web.MustParseURL(www + "/"), Status: 400},
		"shows " + www +
			"/ in a frame, which does not answer (refused), instead": {URL: web.MustParseURL(www + "/"),
			Refusal: Refused},
	} {
		got := judged(old+"/", www+"/", Root, framed, shown)
		assert.Equal(t, "framed", codes(got))
		assert.Contains(t, said(got), words)
		assert.Equal(t, 0, *got.Findings[0].Hop)
	}
}

func TestThoseWhoTurnRobotsAwayWereNotSeen(t *testing.T) {
	for words, a := range map[string]Answer{
		"answers 429: it was asked too often. What visitors get": {Status: 429},
		"asks for a pause of 120 s.": {Status: 429,
			Headers: &Headers{RetryIn: "120"}},
		"asks for a pause of Fri, 31 Dec.": {Status: 429,
			Headers: &Headers{RetryIn: "Fri, 31 Dec"}},
		"answers 403 with a challenge for robots": {Status: 403,
			Headers: &Headers{Challenge: true, RetryIn: "9"}},
		"answers 200 with a challenge for robots": {Status: 200,
			Page: &Document{Title: "Just a moment..."}},
	} {
		a.URL = web.MustParseURL(old + "/")
		got := judged(old+"/", www+"/", Root, a)
		assert.Equal(t, "turned-away", codes(got), words)
		assert.Contains(t, said(got), words)
	}
}

func TestWhatStandsWhereAuthoritiesLook(t *testing.T) {
	token := "http://old.example/.well-known/acme-challenge/upper-path-made-up"
	at := web.MustParseURL(token)
	for name, c := range map[string]struct {
		first Answer
		want  string
	}{
		"nothing":      {Answer{Status: 404}, ""},
		"forbidden":    {Answer{Status: 403}, ""},
		"gone":         {Answer{Status: 410}, ""},
		"broken":       {Answer{Status: 500}, ""},
		"nobody":       {Answer{Refusal: Refused}, ""},
		"not modified": {Answer{Status: 304}, ""},
		"to the same by https": {
			Answer{Status: 301, Location: strings.Replace(token, "http:", "https:", 1)}, ""},
		"to another path there": {Answer{Status: 301, Location: "https://old.example/"},
			"redirects to https://old.example/"},
		"to the same elsewhere": {
			Answer{Status: 301, Location: strings.Replace(token, "old", "www.n", 1)},
			"redirects to http://www.n"},
		"a page":            {Answer{Status: 200}, "answers 200"},
		"a page of its own": {Answer{Status: 299}, "answers 299"},
	} {
		c.first.URL = at
		ends := fixed{c.first, page("https://old.example/", nil),
			page(strings.Replace(token, "old", "www.n", 1), nil)}
		got := Follow(context.Background(), ends, Ask{URL: at}, WellKnown)
		planned := got
		(Judge{Now: now}).Chain(&got, Goal{})
		if c.want == "" {
			assert.Empty(t, said(got), name)
			continue
		}
		assert.Contains(t, said(got),
			"well-known-taken note http://old.example: http://old.example "+c.want, name)
		exempt := Judge{Now: now, Exempt: func(web.URL) bool { return true }}
		exempt.Chain(&planned, Goal{})
		assert.Contains(t, said(planned), "well-known-taken warning", "it was planned to be left out")
		other := got
		other.Findings = nil
		(Judge{Now: now, Exempt: func(web.URL) bool { return false }}).Chain(&other, Goal{})
		assert.Empty(t, said(other), "it was planned to be redirected")
	}
}

func TestCookieLoopsNameWhereTheyBegin(t *testing.T) {
	door := "https://old.example"
	c := Chain{Entry: web.MustParseURL(door + "/"), Probe: Root, Cookies: true, End: Page,
		Hops: []Answer{
			{URL: web.MustParseURL(door + "/"), Status: 302, Location: "/a",
				Headers: &Headers{Cookies: true}},
			{URL: web.MustParseURL(door + "/a"), Status: 302, Location: "/b"},
			{URL: web.MustParseURL(door + "/b"), Status: 302, Location: "/a"},
			{URL: web.MustParseURL(door + "/a"), Status: 301, Location: www + "/"},
			page(www+"/", nil),
		}, Arrival: web.MustParseURL(www + "/")}
	estateJudge().Chain(&c, Goal{Target: web.MustParseURL(www + "/"), Hops: 9})
	i := -1
	for at, f := range c.Findings {
		if f.Code == finding.CookieLoop {
			i = at
		}
	}
	if assert.GreaterOrEqual(t, i, 0, said(c)) {
		assert.Contains(t, c.Findings[i].Says.String(), door+"/a redirects back to itself until a cookie")
		assert.Equal(t, 2, c.Findings[i].Evidence["length"])
	}
}

func TestAddressesThatDoNotDoTheSame(t *testing.T) {
	found := []netip.Addr{netip.MustParseAddr("192.0.2.1"), netip.MustParseAddr("192.0.2.2")}
	right := func(change func(*Answer)) Answer {
		a := Answer{URL: web.MustParseURL(old + "/"), Address: "192.0.2.1:80", Found: found, Status: 301,
			Location: www + "/",
			TTL:      600}
		if change != nil {
			change(&a)
		}
		return a
	}
	other := func(change func(*Answer)) Answer {
		return right(func(a *Answer) {
			a.Address, a.Found = "192.0.2.2:80", nil
			if change != nil {
				change(a)
			}
		})
	}
	for name, c := range map[string]struct {
		first, second Answer
		severity      string // "" where both do the same
		says          string
	}{
		"the same": {right(nil), other(nil), "", ""},
		"another spelling": {right(nil), other(func(a *Answer) { a.Location = "https://WWW.n.example/" }),
			"", ""},
		"another target": {
			right(nil), other(func(a *Answer) { a.Location = "https://elsewhere.example/" }), "error",
			"192.0.2.1 redirects to " + www +
				"/ (301); 192.0.2.2 redirects to https://elsewhere.example/ (301)",
		},
		"a page": {
			right(nil),
			other(func(a *Answer) { a.Status, a.Location, a.Page = 200, "", &Document{Title: "Lace mill"} }),
			"error",
			`192.0.2.2 shows a page, "Lace mill" (200)`,
		},
		"no page": {right(nil), other(func(a *Answer) { a.Status, a.Location = 404, "" }), "error",
			"192.0.2.2 answers 404"},
		"nobody": {
			right(nil),
			other(func(a *Answer) {
				a.Status, a.Refusal, a.Detail = 0, Refused, "192.0.2.2:80 refuses the connection"
			}),
			"warning", "192.0.2.2 refuses the connection",
		},
		"unseen": {right(nil), other(func(a *Answer) { a.Status, a.Refusal = 0, Unseen }), "", ""},
		"in a frame": {
			right(nil), other(func(a *Answer) { a.Status, a.Location, a.Framed = 200, "", www+"/" }),
			"error",
			"192.0.2.2 shows " + www + "/ in a frame (200)",
		},
		"another status": {right(nil), other(func(a *Answer) { a.Status = 302 }), "warning", "(302)"},
	} {
		site := page(www+"/", nil)
		asker := byAddress{c.first, c.second, site, page("https://elsewhere.example/", nil)}
		got := FollowEach(context.Background(), asker, Ask{URL: web.MustParseURL(old + "/")}, Root)
		estateJudge().Chain(&got, Goal{Target: web.MustParseURL(www + "/"), Hops: 1})
		if c.severity == "" {
			assert.Empty(t, said(got), name)
			continue
		}
		assert.Contains(t, said(got),
			"split-answers "+c.severity+" "+old+": The addresses of old.example do not behave the same",
			name)
		assert.Contains(t, said(got), c.says, name)
		assert.Contains(t, got.Findings[0].Fix.String(), "up to 10 min", name)
	}
}

// byAddress answers the entry by the address that is asked, and everything else by its URL.
type byAddress []Answer

func (b byAddress) Answer(ctx context.Context, ask Ask) Answer {
	if ask.Address.IsValid() && ask.URL == b[0].URL {
		return b[1]
	}
	return fixed(b).Answer(ctx, ask)
}

func TestWhoIsAskedAtEachAddress(t *testing.T) {
	found := []netip.Addr{netip.MustParseAddr("192.0.2.1"), netip.MustParseAddr("192.0.2.2"),
		netip.MustParseAddr("192.0.2.3")}
	first := Answer{URL: web.MustParseURL(old + "/"), Address: "192.0.2.1:80", Found: found,
		Status: 404}
	second := first
	second.Address, second.Found = "192.0.2.2:80", nil
	asker := byAddress{first, second}
	ask := Ask{URL: web.MustParseURL(old + "/")}
	assert.Len(t, FollowEach(context.Background(), asker, ask, Root).Others, 2,
		"all but the one that was met")
	for _, probe := range []Probe{ByRule, ByPattern, WellKnown, Robots} {
		assert.Empty(t, FollowEach(context.Background(), asker, ask, probe).Others, probe)
	}
	assert.Empty(t,
		FollowEach(context.Background(), Returning{Asker: asker, Memory: &Memory{}}, ask, Root).Others)
	posted, named := ask, ask
	posted.Method, named.Address = "POST", found[1]
	assert.Empty(t, FollowEach(context.Background(), asker, posted, Root).Others)
	assert.Empty(t, FollowEach(context.Background(), asker, named, Root).Others)
	alone := byAddress{first}
	alone[0].Found = found[:1]
	assert.Empty(t, FollowEach(context.Background(), alone, ask, Root).Others)
	ended, end := context.WithCancel(context.Background())
	end()
	assert.Empty(t, FollowEach(ended, asker, ask, Root).Others)
}

func TestWhatToDoAboutAddressesThatDiffer(t *testing.T) {
	found := []netip.Addr{netip.MustParseAddr("192.0.2.1"), netip.MustParseAddr("192.0.2.2")}
	right := Answer{URL: web.MustParseURL(old + "/"), Address: "192.0.2.1:80", Found: found,
		Status: 301, Location: www + "/"}
	wrong := Answer{URL: web.MustParseURL(old + "/"), Address: "192.0.2.2:80", Status: 301,
		Location: "https://elsewhere.example/"}
	pages := []Answer{page(www+"/", nil), page("https://elsewhere.example/", nil)}
	judge := func(first, second Answer) finding.Finding {
		first.Found, second.Found = found, nil
		asker := byAddress(append([]Answer{first, second}, pages...))
		c := FollowEach(context.Background(), asker, Ask{URL: web.MustParseURL(old + "/")}, Root)
		estateJudge().Chain(&c, Goal{Target: web.MustParseURL(www + "/"), Hops: 1})
		for _, f := range c.Findings {
			if f.Code == finding.SplitAnswers {
				return f
			}
		}
		t.Fatal(said(c))
		return finding.Finding{}
	}
	f := judge(right, wrong)
	assert.Equal(t,
		"Make 192.0.2.2 do as 192.0.2.1 does, or take it out of the records of old.example.",
		f.Fix.String())
	shown := f.Evidence["addresses"].([]map[string]any)
	assert.Len(t, shown, 2)
	assert.NotContains(t, shown[0], "findings")
	assert.Contains(t, shown[1], "findings")
	assert.Equal(t, "192.0.2.2:80", shown[1]["address"])
	f = judge(wrong, right)
	assert.Equal(t,
		"Find out which of them is meant to stay. Take the others out of the records of old.example.",
		f.Fix.String())
	shown = f.Evidence["addresses"].([]map[string]any)
	assert.Contains(t, shown[0], "findings")
	assert.NotContains(t, shown[1], "findings")
	temporary := right
	temporary.Address, temporary.Status = "192.0.2.2:80", 302
	assert.Contains(t, judge(right, temporary).Fix.String(), "Find out which of them is right")
}

func TestWhatAnAddressDoesInWords(t *testing.T) {
	tls := func(faults ...finding.Code) *TLS { return &TLS{Faults: faults} }
	for want, a := range map[string]Answer{
		"192.0.2.1 redirects to /x (301)": {Status: 301, Location: "/x"},
		"192.0.2.1 redirects to /x (301), with a certificate that browsers refuse (wrong-name)": {
			Status: 301, Location: "/x", TLS: tls(finding.WrongName)},
		"192.0.2.1 redirects to /y (301)": {Status: 301, Location: "/y",
			TLS: tls(finding.ExpiresSoon)},
		"192.0.2.1 redirects to /z (301)":                     {Status: 301, Location: "/z", TLS: tls()},
		"192.0.2.1 sends visitors on to /x by its page (200)": {Status: 200, Soft: &Soft{To: "/x"}},
		"192.0.2.1 answers 400":                               {Status: 400},
		"192.0.2.1 answers 404":                               {Status: 404},
		"192.0.2.1 shows a page (399)":                        {Status: 399},
		"192.0.2.1 could not be seen from here":               {Refusal: Unseen},
		"192.0.2.1 does not answer: it sends nothing": {Refusal: Timeout,
			Detail: "it sends nothing"},
		"192.0.2.1 takes no connection": {Refusal: Refused,
			Detail: "192.0.2.1:80 takes no connection"},
	} {
		a.Address = "192.0.2.1:80"
		assert.Equal(t, want, fact.Text(a.Does()))
	}
}

func TestAnswersThatAreTheSameToAVisitor(t *testing.T) {
	u := web.MustParseURL("https://old.example/")
	titled := func(change func(*Document)) Answer {
		d := Document{Title: "a", Heading: "b", Canonical: "c"}
		change(&d)
		return Answer{URL: u, Status: 200, Page: &d}
	}
	none := func(*Document) {}
	for name, c := range map[string]struct {
		a, b Answer
		same bool
	}{
		"pages":  {titled(none), titled(none), true},
		"titles": {titled(none), titled(func(d *Document) { d.Title = "x" }), false},
		"headings": {titled(none), titled(func(d *Document) { d.Heading = "x" }),
			false},
		"canonical hosts": {titled(none), titled(func(d *Document) { d.Canonical = "x" }),
			false},
		"no pages":        {Answer{URL: u, Status: 200}, Answer{URL: u, Status: 200}, true},
		"a page and none": {titled(none), Answer{URL: u, Status: 200}, false},
		"refusals": {Answer{URL: u, Refusal: Refused}, Answer{URL: u, Refusal: Refused},
			true},
		"two kinds of refusals": {Answer{URL: u, Refusal: Refused}, Answer{URL: u, Refusal: Timeout},
			false},
		"an answer and a refusal": {Answer{URL: u, Status: 200}, Answer{URL: u, Refusal: Timeout},
			false},
		"with TLS and without": {Answer{URL: u, Status: 200, TLS: &TLS{}},
			Answer{URL: u, Status: 200}, false},
		"faults of certificates": {Answer{URL: u, TLS: &TLS{Faults: []finding.Code{finding.Expired}}},
			Answer{URL: u, TLS: &TLS{}}, false},
		"Locations that lead no way": {Answer{URL: u, Status: 301, Location: "http://["},
			Answer{URL: u, Status: 301, Location: "http://]"}, true},
		"one that leads a way": {Answer{URL: u, Status: 301, Location: "http://["},
			Answer{URL: u, Status: 301, Location: "/"}, false},
	} {
		assert.Equal(t, c.same, sameAnswer(&c.a, &c.b), name)
		assert.Equal(t, c.same, sameAnswer(&c.b, &c.a), name)
	}
}

func TestFromWhichStatusOnAPageIsNone(t *testing.T) {
	for status, want := range map[int]string{200: "", 203: "", 204: "dead-end", 205: "dead-end",
		206: "", 226: "", 299: "", 300: "dead-end", 304: "dead-end", 305: "dead-end", 306: "dead-end",
		399: "dead-end", 400: "dead-end", 404: "dead-end", 429: "turned-away", 500: "dead-end",
		503: "turned-away"} {
		moved := Answer{URL: web.MustParseURL(old + "/a"), Status: 301, Location: www + "/a"}
		end := page(www+"/a", func(a *Answer) { a.Status, a.Page = status, nil })
		got := judged(old+"/a", www+"/a", ByRule, moved, end)
		if want == "" {
			assert.NotContains(t, codes(got), "dead-end", status)
			continue
		}
		assert.Contains(t, codes(got), want, status)
		// Without an estate too.
		c := Follow(context.Background(), fixed{moved, end}, Ask{URL: moved.URL}, Asked)
		Judge{Now: now}.Chain(&c, Goal{})
		assert.Contains(t, codes(c), want, status)
		// What was made up is nowhere.
		deep := judged(old+"/a", www+"/a", Deep, moved, end)
		assert.NotContains(t, codes(deep), "dead-end", status)
	}
}

// TestAPageThatGoesOnIsSaid: what stands behind what was read of a page was not seen.
func TestAPageThatGoesOnIsSaid(t *testing.T) {
	for _, cut := range []bool{true, false} {
		c := judged("https://www.n.example/a", "https://www.n.example/a", Asked, Answer{
			URL: web.MustParseURL("https://www.n.example/a"), Status: 200, Address: "203.0.113.10:443",
			TLS: &TLS{}, Headers: &Headers{HSTS: "max-age=63072000"},
			Page: &Document{Title: "A", Octets: 2 << 20, Cut: cut}})
		assert.Equal(t, cut, strings.Contains(said(c), "soft-redirect note"), said(c))
		assert.Equal(t, cut, strings.Contains(said(c), "2097152 octets"), said(c))
	}
}
