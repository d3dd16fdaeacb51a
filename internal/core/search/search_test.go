package search_test

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/robots"
	"upperpath.example/upperpath/internal/core/search"
	"upperpath.example/upperpath/internal/core/web"
)

var site = web.Door{Scheme: web.HTTPS, Host: web.MustParseHost("www.new.example")}

func u(s string) web.URL { return web.MustParseURL(s) }

// small is a site with one page and one old URL that arrives there, in good order.
func small() search.Seen {
	at := u("https://www.new.example/robots.txt")
	fine := search.Robots{From: at, Status: 200,
		Says: robots.ParseAll("User-agent: *\nDisallow: /no/\n")}
	old := web.Door{Scheme: web.HTTP, Host: web.MustParseHost("old.example")}
	s := search.Seen{
		Site: site,
		Olds: []search.Old{{URL: u("http://old.example/a"), Weight: 7,
			To: u("https://www.new.example/a/")}},
		Today: map[web.Door]search.Robots{old: {From: u("http://old.example/robots.txt"),
			Status: 404, Says: robots.ParseAll("")}},
		After:    map[web.Door]search.Robots{old: fine},
		Own:      map[web.Door]search.Robots{site: fine},
		Pages:    map[string]*search.Page{},
		MapsRead: 1,
		Listed:   []search.Listed{{URL: u("https://www.new.example/a/"), In: "map"}},
		Forwards: func(d web.Door) bool { return d.Host.String() == "old.example" },
		Serves:   func(h web.Host) bool { return h.String() == "www.new.example" },
		Goal: func(at web.URL) web.URL {
			if strings.HasPrefix(at.Path(), "/gone") {
				return web.URL{}
			}
			return u("https://www.new.example" + at.Path() + "/")
		},
	}
	put(&s, &search.Page{URL: u("https://www.new.example/a/"), Status: 200, Kind: "text/html"})
	return s
}

func put(s *search.Seen, p *search.Page) { s.Pages[p.URL.Key()] = p }

func said(f *search.Found) []string {
	var all []string
	for _, r := range f.Rows {
		all = append(all, fmt.Sprintf("%d %s %s", r.Weight, r.Code, strings.TrimPrefix(
			fmt.Sprintf("%T", r.Facts()), "fact.")))
	}
	return all
}

// TestEachFaultHasItsRow changes one thing of a site that is in good order.
func TestEachFaultHasItsRow(t *testing.T) {
	page := func(s *search.Seen) *search.Page { return s.Pages["https://www.new.example/a/"] }
	all := func(text string) search.Robots {
		return search.Robots{From: u("https://www.new.example/robots.txt"), Status: 200,
			Says: robots.ParseAll(text)}
	}
	old := web.Door{Scheme: web.HTTP, Host: web.MustParseHost("old.example")}
	for name, c := range map[string]struct {
		change func(s *search.Seen)
		want   []string
		unseen string
	}{
		"in good order": {func(*search.Seen) {}, nil, ""},
		"barred today alone": {func(s *search.Seen) { s.Today[old] = all("User-agent: *\nDisallow: /") },
			[]string{"7 robots-blocked OldsBarred"}, ""},
		"barred after the move": {func(s *search.Seen) {
			s.After[old] = all("User-agent: *\nDisallow: /a")
		},
			[]string{"7 robots-blocked OldsBarred"}, ""},
		"a path like it is not": {func(s *search.Seen) {
			s.After[old] = all("User-agent: *\nDisallow: /ab")
		},
			nil, ""},
		"barred for one engine": {func(s *search.Seen) {
			s.After[old] = all("User-agent: bingbot\nDisallow: /a\nUser-agent: *\nDisallow:\n")
		}, []string{"7 robots-blocked OldsBarred"}, ""},
		"barred for a robot that is none": {func(s *search.Seen) {
			s.After[old] = all("User-agent: somebody\nDisallow: /a\n")
		}, nil, ""},
		"a robots.txt that fails": {func(s *search.Seen) {
			s.After[old] = search.Robots{From: u("https://www.new.example/robots.txt"), Status: 503,
				Says: robots.BarredAll()}
		}, []string{"7 robots-blocked OldsBarredByFailure"}, ""},
		"a robots.txt that nobody saw": {func(s *search.Seen) {
			s.After[old] = search.Robots{Why: "no answer"}
			s.Today[old] = all("User-agent: *\nDisallow: /")
		}, []string{"7 robots-blocked OldsBarred"}, search.UnseenRobots},
		"the arrival barred": {func(s *search.Seen) { s.Own[site] = all("User-agent: *\nDisallow: /a/") },
			[]string{"7 robots-blocked ArrivalsBarred", "7 sitemap-stale ListsBarred"}, ""},
		"the arrival missing": {func(s *search.Seen) { page(s).Status = 404 },
			[]string{"7 dead-end ArrivalFails", "7 sitemap-stale ListsDead"}, ""},
		"the arrival unseen": {func(s *search.Seen) { delete(s.Pages, page(s).URL.Key()) }, nil,
			search.UnseenPages},
		"the arrival silent": {func(s *search.Seen) { page(s).Status = 0 }, nil, search.UnseenPages},
		"the arrival behind a password": {func(s *search.Seen) {
			put(s, search.PageOf(&chain.Answer{URL: page(s).URL, Status: 401}, "text/html", nil))
		}, nil, search.UnseenPages},
		"the arrival says that it is none": {func(s *search.Seen) { page(s).SaysNone = true },
			[]string{"7 dead-end ArrivalSaysNone"}, ""},
		"a page that needs scripts": {func(s *search.Seen) { page(s).Blank = true }, nil,
			search.UnseenLinks},
		"the arrival moved": {func(s *search.Seen) { page(s).To = u("https://www.new.example/b/") },
			[]string{"7 extra-hop ArrivalRedirects", "7 sitemap-stale ListsMoved"}, ""},
		"the arrival in a circle": {func(s *search.Seen) {
			page(s).To = u("https://www.new.example/b/")
			put(s, &search.Page{URL: page(s).To, Status: 301, To: page(s).URL})
			s.Listed = nil
		}, []string{"7 loop ArrivalLoops"}, ""},
		"the arrival hidden": {func(s *search.Seen) { page(s).Hidden = fact.HiddenByPage{} },
			[]string{"7 noindex ArrivalHidden", "7 sitemap-stale ListsHidden"}, ""},
		"its own canonical": {func(s *search.Seen) { page(s).Canonical = "https://www.new.example/a/" },
			nil, ""},
		"the canonical at an old host": {func(s *search.Seen) {
			page(s).Canonical = "http://old.example/a"
		},
			[]string{"7 canonical-disagrees NamesOld"}, ""},
		"the canonical over http": {func(s *search.Seen) {
			page(s).Canonical = "http://www.new.example/a/"
		},
			[]string{"7 canonical-disagrees CanonicalPlain"}, ""},
		"another canonical that nobody saw": {func(s *search.Seen) {
			page(s).Canonical = "https://www.new.example/c/"
		}, []string{"7 canonical-disagrees NamesAnother"}, ""},
		"a canonical that is missing": {func(s *search.Seen) {
			page(s).Canonical = "https://www.new.example/c/"
			put(s, &search.Page{URL: u("https://www.new.example/c/"), Status: 410})
		}, []string{"7 canonical-disagrees NamesDead"}, ""},
		"a canonical that redirects": {func(s *search.Seen) {
			page(s).Canonical = "https://www.new.example/c/"
			put(s, &search.Page{URL: u("https://www.new.example/c/"), Status: 301,
				To: u("https://www.new.example/a/")})
		}, []string{"7 canonical-disagrees NamesMoved"}, ""},
		"a ring of canonicals": {func(s *search.Seen) {
			page(s).Canonical = "https://www.new.example/c/"
			put(s, &search.Page{URL: u("https://www.new.example/c/"), Status: 200, Kind: "text/html",
				Canonical: "https://www.new.example/a/"})
		}, []string{"7 canonical-disagrees NamesInTurn"}, ""},
		"a picture at a page": {func(s *search.Seen) { s.Olds[0].URL = u("http://old.example/a.jpg") },
			[]string{"7 other-kind ArrivesAsOther"}, ""},
		"a picture at a picture": {func(s *search.Seen) {
			s.Olds[0].URL = u("http://old.example/a.jpg")
			page(s).Kind = "image/webp"
		}, nil, ""},
		"a document at octets": {func(s *search.Seen) {
			s.Olds[0].URL = u("http://old.example/a.pdf")
			page(s).Kind = "application/octet-stream"
		}, nil, ""},
		"a feed at a page": {func(s *search.Seen) { s.Olds[0].URL = u("http://old.example/feed/") },
			[]string{"7 other-kind ArrivesAsOther"}, ""},
		"a feed at a feed": {func(s *search.Seen) {
			s.Olds[0].URL = u("http://old.example/feed/")
			page(s).Kind = "application/atom+xml"
		}, nil, ""},
		"a feed that a page names": {func(s *search.Seen) {
			s.Feeds = []search.Feed{{URL: u("http://old.example/news.xml"), Page: u("http://old.example/"),
				To: u("https://www.new.example/a/")}}
		}, []string{"0 other-kind FeedArrives"}, ""},
		"a feed that ends": {func(s *search.Seen) {
			s.Feeds = []search.Feed{{URL: u("http://old.example/news.xml"), Page: u("http://old.example/")}}
		}, []string{"0 other-kind FeedEnds"}, ""},
		"no sitemap": {func(s *search.Seen) { s.MapsRead, s.MapsGone, s.Listed = 0, true, nil },
			[]string{"0 sitemap-gap NoSitemap"}, ""},
		"no sitemap that could be read": {func(s *search.Seen) {
			s.MapsRead, s.Listed = 0, nil
			s.Lost = []search.Unseen{{What: search.UnseenSitemaps, Count: 1, First: "x", Why: "y"}}
		}, nil, search.UnseenSitemaps},
		"not in a sitemap": {func(s *search.Seen) { s.Listed = nil },
			[]string{"7 sitemap-gap NotInSitemap"}, ""},
		"perhaps in one that could not be read": {func(s *search.Seen) {
			s.Listed = nil
			s.Lost = []search.Unseen{{What: search.UnseenSitemaps, Count: 1, First: "x", Why: "y"}}
		}, nil, search.UnseenSitemaps},
		"a page in another state": {func(s *search.Seen) {
			s.Olds[0].To = u("https://www.new.example/a/?from=old")
			put(s, &search.Page{URL: s.Olds[0].To, Status: 200, Kind: "text/html"})
		}, nil, ""},
		"an old host in a sitemap": {func(s *search.Seen) {
			s.Listed = append(s.Listed, search.Listed{URL: u("http://old.example/a"), In: "map"})
		}, []string{"0 sitemap-stale ListsOld"}, ""},
		"somebody else in a sitemap": {func(s *search.Seen) {
			s.Listed = append(s.Listed, search.Listed{URL: u("http://other.example/a"), In: "map"})
		}, nil, ""},
		"an entry that nobody looked at": {func(s *search.Seen) {
			s.Listed = append(s.Listed, search.Listed{URL: u("https://www.new.example/z/"), In: "map"})
		}, nil, search.UnseenListed},
		"a link to an old host": {func(s *search.Seen) {
			page(s).Links = []chain.Link{{URL: "http://old.example/x", Element: "a", Line: 3}}
		}, []string{"7 leftover-link LinkedFrom"}, ""},
		"a link to somebody else": {func(s *search.Seen) {
			page(s).Links = []chain.Link{{URL: "http://other.example/x", Element: "a", Line: 3}}
		}, nil, ""},
		"another language at an old host": {func(s *search.Seen) {
			page(s).Links = []chain.Link{{URL: "http://old.example/nl/", Element: search.Alternate, Line: 3}}
		}, []string{"7 canonical-disagrees AlternateOld"}, ""},
		"an old sitemap": {func(s *search.Seen) {
			s.OldMaps = []search.OldMap{{URL: u("http://old.example/sitemap.xml"), Lists: 12}}
		}, []string{"0 sitemap-dropped OldSitemapEnds"}, ""},
		"gone on purpose": {func(s *search.Seen) { s.Olds[0].To = web.URL{} }, nil, ""},
	} {
		t.Run(name, func(t *testing.T) {
			s := small()
			c.change(&s)
			found := search.Judge(s)
			assert.Equal(t, c.want, said(found))
			if c.unseen == "" {
				assert.Empty(t, found.Unseen)
			} else {
				require.NotEmpty(t, found.Unseen)
				assert.Equal(t, c.unseen, found.Unseen[0].What)
			}
			for _, f := range found.Findings() {
				assert.NotEmpty(t, f.Evidence)
			}
		})
	}
}

func TestLinksSayWhereTheyStandAndWhereTheyLead(t *testing.T) {
	s := small()
	s.Pages["https://www.new.example/a/"].Links = []chain.Link{
		{URL: "http://old.example/x", Element: "a", Line: 3},
		{URL: "http://old.example/x", Element: "a", Line: 9}}
	put(&s, &search.Page{URL: u("https://www.new.example/b/"), Status: 200, Links: []chain.Link{
		{URL: "http://old.example/x", Element: "a", Line: 5},
		{URL: "http://old.example/gone", Element: "img", Line: 6}}})
	put(&s, &search.Page{URL: u("https://www.new.example/x/"), Status: 404})
	found := search.Judge(s)
	require.Len(t, found.Rows, 2)
	f := found.Rows[0].Facts().(fact.LinkedFrom)
	assert.Equal(t, fact.LinkedFrom{Target: "http://old.example/x", Element: "a", Pages: 2,
		Page: "https://www.new.example/a/", Line: 3, Now: "https://www.new.example/x/", Dead: 404}, f)
	assert.Equal(t, []string{"https://www.new.example/a/ line 3", "https://www.new.example/b/ line 5"},
		found.Rows[0].Evidence["places"])
	assert.Empty(t, found.Rows[1].Facts().(fact.LinkedFrom).Now)
}

func TestWhatSomebodyLivesWithIsMarked(t *testing.T) {
	s := small()
	s.Listed = nil
	s.Accept = func(all []finding.Finding) []finding.Finding {
		for i := range all {
			all[i].Accepted = &finding.Accepted{Why: "soon"}
		}
		return all
	}
	assert.False(t, search.Judge(s).Rows[0].Open())
}

// TestMixtures compares rows with what is counted by hand, in random mixtures: nothing is said of
// what was not seen, and each old URL that a line keeps away is counted once with its visits.
func TestMixtures(t *testing.T) {
	for seed := range uint64(400) {
		r := rand.New(rand.NewPCG(seed, 9))
		s := small()
		s.Olds, s.Pages, s.Listed = nil, map[string]*search.Page{}, nil
		door := web.Door{Scheme: web.HTTP, Host: web.MustParseHost("old.example")}
		bars := map[string]bool{}
		text := "User-agent: *\n"
		for i := range 5 {
			if r.IntN(2) == 0 {
				bars[fmt.Sprint("/", i, "/")] = true
				text += fmt.Sprintf("Disallow: /%d/\n", i)
			}
		}
		s.After[door] = search.Robots{From: u("https://www.new.example/robots.txt"), Status: 200,
			Says: robots.ParseAll(text)}
		var barredWeight, deadWeight, gapWeight int64
		dead, gap, unseen := map[string]int64{}, map[string]int64{}, map[string]bool{}
		for n := range 1 + r.IntN(30) {
			folder := fmt.Sprint("/", r.IntN(5), "/")
			weight := int64(r.IntN(100))
			to := fmt.Sprint("https://www.new.example/p", r.IntN(8), "/")
			s.Olds = append(s.Olds, search.Old{URL: u(fmt.Sprint("http://old.example", folder, n)),
				Weight: weight, To: u(to)})
			if bars[folder] {
				barredWeight += weight
			}
			switch p := s.Pages[to]; {
			case p == nil && !unseen[to]:
				switch status := []int{0, 200, 200, 404, 500, -1}[r.IntN(6)]; status {
				case -1:
					unseen[to] = true
				default:
					put(&s, &search.Page{URL: u(to), Status: status, Kind: "text/html"})
				}
				if r.IntN(2) == 0 {
					s.Listed = append(s.Listed, search.Listed{URL: u(to), In: "map"})
				}
			}
			switch p := s.Pages[to]; {
			case p == nil || p.Status == 0:
				unseen[to] = true
			case p.Status >= 400:
				dead[to] += weight
				deadWeight += weight
			case !slices.ContainsFunc(s.Listed, func(l search.Listed) bool { return l.URL.String() == to }):
				gap[to] += weight
				gapWeight += weight
			}
		}
		found := search.Judge(s)
		sums := map[finding.Code]int64{}
		for i, row := range found.Rows {
			sums[row.Code] += row.Weight
			if i > 0 {
				assert.LessOrEqual(t, row.Weight, found.Rows[i-1].Weight, "the most visits first")
			}
			for at := range unseen {
				assert.NotEqual(t, at, row.Subject, "nobody saw it (seed %d)", seed)
				assert.NotContains(t, row.Says.String(), " "+at+" answers", "seed %d", seed)
			}
		}
		assert.Equal(t, barredWeight, sums[finding.RobotsBlocked], "seed %d", seed)
		assert.Equal(t, deadWeight, sums[finding.DeadEnd], "seed %d", seed)
		assert.Equal(t, gapWeight, sums[finding.SitemapGap], "seed %d", seed)
		lost := 0
		for _, l := range found.Unseen {
			if l.What == search.UnseenPages {
				lost += l.Count
			}
		}
		assert.Equal(t, len(unseen), lost, "seed %d", seed)
	}
}

func TestPagesAreTakenIn(t *testing.T) {
	p := search.PageOf(&chain.Answer{URL: u("https://www.new.example/a"), Status: 301,
		Location: "/a/"}, "text/html", nil)
	assert.Equal(t, "https://www.new.example/a/", p.To.String())
	p = search.PageOf(&chain.Answer{URL: u("https://www.new.example/a"), Status: 301}, "", nil)
	assert.Zero(t, p.Status, "it leads nowhere that anybody could look at")
	p = search.PageOf(&chain.Answer{URL: u("https://www.new.example/a"), Status: 503}, "", nil)
	assert.Zero(t, p.Status, "busy: what is there was not seen")
	p = search.PageOf(&chain.Answer{URL: u("https://www.new.example/a"), Status: 200,
		Headers: &chain.Headers{Robots: "noindex", Canonical: "/b"}}, "text/html", nil)
	assert.NotNil(t, p.Hidden)
	assert.Equal(t, "https://www.new.example/b", p.Canonical)
}

func TestArrivalsComeTheHeaviestFirst(t *testing.T) {
	all := search.Arrivals([]search.Old{{Weight: 1, To: u("https://www.new.example/a")},
		{Weight: 3, To: u("https://www.new.example/b")}, {Weight: 3, To: u("https://www.new.example/a")},
		{Weight: 9}})
	assert.Equal(t, []web.URL{u("https://www.new.example/a"), u("https://www.new.example/b")}, all)
}
