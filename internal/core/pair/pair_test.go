package pair

import (
	"context"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// pagesOf reads pages: a URL or a path, and behind a bar a title.
func pagesOf(host string, lines ...string) []Page {
	var all []Page
	for _, line := range lines {
		url, title, _ := strings.Cut(line, " | ")
		if strings.HasPrefix(url, "/") {
			url = host + url
		}
		all = append(all, Page{URL: url, Title: title})
	}
	return all
}

// filler is pages that are on both sites, so that words have a weight.
func filler(host, folder, end string) []Page {
	var all []Page
	for _, n := range nouns[:60] {
		for _, a := range adjectives[:4] {
			all = append(all, Page{URL: host + folder + a + "-" + n + "-" + syllables[len(n)] + end})
		}
	}
	return all
}

// paired gives where an old page is led with confidence; "" where nowhere.
func paired(t *testing.T, old string, news ...string) string {
	t.Helper()
	olds := append(
		pagesOf("https://www.old.example", old),
		filler("https://www.old.example", "/news/", ".html")...)
	all := append(
		pagesOf("https://www.new.example", news...),
		filler("https://www.new.example", "/stories/", "/")...)
	found, err := Find(context.Background(), olds, all, nil, nil)
	require.NoError(t, err)
	m := found.Of[0]
	if m.None() || m.Candidates[0].Confidence < 0.5 {
		return ""
	}
	return strings.TrimPrefix(all[m.Candidates[0].New].URL, "https://www.new.example")
}

func TestPairs(t *testing.T) {
	for _, c := range []struct {
		says, old string
		news      []string
		want      string
	}{
		{"the last segment", "/news/mill-wheel-restored.html", []string{"/stories/mill-wheel-restored/"},
			"/stories/mill-wheel-restored/"},
		{"another year", "/report/annual-report-2019.pdf", []string{"/reports/annual-report-2020"}, ""},
		{"the same year", "/report/annual-report-2019.php",
			[]string{"/reports/annual-report-2020", "/reports/2019/annual-report"},
			"/reports/2019/annual-report"},
		{"another colour", "/shop/red-enamel-kettle.html", []string{"/shop/blue-enamel-kettle"}, ""},
		{"the colour in another language", "/laden/roter-emaille-kessel-rot.html",
			[]string{"/laden/emaille-kessel-blau", "/laden/emaille-kessel-rot"},
			"/laden/emaille-kessel-rot"},
		{"another size", "/shop/linen-apron-50cm.html", []string{"/shop/linen-apron-70-cm"}, ""},
		{"another part", "/blog/loom-history-part-2.html", []string{"/blog/loom-history-part-1"}, ""},
		{"a part in roman numbers", "/blog/loom-history-ii.html",
			[]string{"/blog/loom-history-part-1", "/blog/loom-history-part-2"}, "/blog/loom-history-part-2"},
		{"umlauts as UTF-8, as two letters, as one", "/orte/m%C3%BChlenbr%C3%BCcke-schlo%C3%9F.html",
			[]string{"/orte/muehlenbruecke-schloss/"}, "/orte/muehlenbruecke-schloss/"},
		{"umlauts as Latin-1", "/orte/m%FChlenbr%FCcke-turm.html", []string{"/orte/muhlenbrucke-turm/"},
			"/orte/muhlenbrucke-turm/"},
		{"Cyrillic", "/mesta/%D0%BC%D1%83%D0%B7%D0%B5%D0%B9-%D0%BA%D1%80%D1%83%D0%B6%D0%B5%D0%B2%D0%B0",
			[]string{"/mesta/muzei-kruzheva/"}, "/mesta/muzei-kruzheva/"},
		{"a typo", "/visit/slate-exibition-tour.html", []string{"/visit/slate-exhibition-tour/"},
			"/visit/slate-exhibition-tour/"},
		{"words joined", "/visit/waterwheel-lockkeeper.html", []string{"/visit/water-wheel-lock-keeper/"},
			"/visit/water-wheel-lock-keeper/"},
		{"words parted", "/visit/water-wheel-lock-keeper.html", []string{"/visit/waterwheel-lockkeeper/"},
			"/visit/waterwheel-lockkeeper/"},
		{"a cut end", "/visit/photographing-the-lacemakers-exhib.html",
			[]string{"/visit/photographing-lacemakers-exhibition-hall/"},
			"/visit/photographing-lacemakers-exhibition-hall/"},
		{"a title, without its site", "/show.php?id=17 | Bobbin winders at work - Lace Mill",
			[]string{"/objects/bobbin-winders-work"}, "/objects/bobbin-winders-work"},
		{"camel case", "/pages/BobbinWindersAtWork.aspx", []string{"/objects/bobbin-winders-at-work"},
			"/objects/bobbin-winders-at-work"},
		{"a date in another form", "/events/concert-lacemill-12-march-2019.html",
			[]string{"/events/2019-03-19-concert-lacemill", "/events/2019-03-12-concert-lacemill"},
			"/events/2019-03-12-concert-lacemill"},
		{"another language", "/de/museum-garten.html",
			[]string{"/en/museum-garten", "/en/museum", "/de/turm"},
			""},
		{"never the home page", "/welcome-home.html", []string{"/ | Welcome home"}, ""},
		{"a page of a list", "/ausstellungsarchiv/page/7/", []string{"/ausstellungsarchiv/"},
			"/ausstellungsarchiv/"},
		{"nothing of the kind", "/regatta-1998.html", []string{"/stories/mill-opening/"}, ""},
	} {
		assert.Equal(t, c.want, paired(t, c.old, c.news...), c.says)
	}
}

// TestDecisionsTeach: what a person decided of some pages is known of the others.
func TestDecisionsTeach(t *testing.T) {
	olds := pagesOf("https://www.old.example", "/kiln/one-firing.html", "/kiln/second-firing.html",
		"/kiln/third-firing.html", "/kiln/slow-firing.html")
	news := pagesOf("https://www.new.example", "/oven/one-baking/", "/oven/second-baking/",
		"/oven/third-baking/", "/oven/slow-baking/", "/store/slow-cups/")
	olds, news = append(olds, filler("https://www.old.example", "/n/", ".html")...),
		append(news, filler("https://www.new.example", "/n/", "/")...)
	var decided []Decision
	for i := range 3 {
		decided = append(decided, Decision{i, news[i].URL})
	}
	found, err := Find(context.Background(), olds, news, decided, nil)
	require.NoError(t, err)
	require.NotEmpty(t, found.Of[3].Candidates)
	assert.Equal(t, 3, found.Of[3].Candidates[0].New)
	assert.Greater(t, found.Of[3].Candidates[0].Confidence, 0.5)
	without, err := Find(context.Background(), olds, news, nil, nil)
	require.NoError(t, err)
	if c := without.Of[3].Candidates; len(c) > 0 && c[0].New == 3 {
		assert.Less(t, c[0].Confidence, found.Of[3].Candidates[0].Confidence)
	}
}

func TestASeenRedirectIsBelieved(t *testing.T) {
	olds := append(pagesOf("https://www.old.example", "/xyz.html"),
		filler("https://www.old.example", "/n/", ".html")...)
	olds[0].Leads = "https://www.new.example/visit/way-there/"
	news := append(pagesOf("https://www.new.example", "/visit/way-there/"),
		filler("https://www.new.example", "/n/", "/")...)
	found, err := Find(context.Background(), olds, news, nil, nil)
	require.NoError(t, err)
	require.NotEmpty(t, found.Of[0].Candidates)
	assert.Equal(t, 0, found.Of[0].Candidates[0].New)
	assert.Greater(t, found.Of[0].Candidates[0].Confidence, 0.5)
}

func TestNothingToPair(t *testing.T) {
	found, err := Find(context.Background(), nil, nil, nil, nil)
	require.NoError(t, err)
	assert.Empty(t, found.Of)
	found, err = Find(
		context.Background(),
		pagesOf("https://a.example", "/", "/x", "", "?", "/%", "/%zz"),
		nil,
		nil,
		nil,
	)
	require.NoError(t, err)
	assert.True(t, found.Of[0].Front)
	assert.True(t, found.Of[1].None())
	ctx, cancel := context.WithCancel(context.Background())
	cancel()
	_, err = Find(ctx, pagesOf("https://a.example", "/x"), nil, nil, nil)
	assert.ErrorIs(t, err, context.Canceled)
}

// FuzzFind pairs whatever comes, and never says more than it may.
func FuzzFind(f *testing.F) {
	f.Add("/a/b.html\n/2019/x\n?id=3", "/b\n/c/2019\n")
	f.Fuzz(func(t *testing.T, a, b string) {
		olds := pagesOf("https://old.example", strings.Split(a, "\n")...)
		news := pagesOf("https://new.example", strings.Split(b, "\n")...)
		found, err := Find(context.Background(), olds, news, nil, nil)
		require.NoError(t, err)
		for _, m := range found.Of {
			require.LessOrEqual(t, len(m.Candidates), 3)
			for _, c := range m.Candidates {
				require.True(t, c.Confidence >= 0 && c.Confidence <= 1 && c.New < len(news))
			}
		}
	})
}
