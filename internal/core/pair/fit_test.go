package pair

import (
	"context"
	"fmt"
	"math"
	"os"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// fitted and heldOut are the numbers of the made sites from which the weights come, and of others.
var (
	fitted  = numbers(1, 40)
	heldOut = numbers(1001, 1040)
)

// sizeOf gives how many pages a made site has: small ones and large ones.
func sizeOf(n uint64) int { return []int{1200, 60, 400, 2500}[n%4] }

func numbers(from, to uint64) []uint64 {
	var all []uint64
	for n := from; n <= to; n++ {
		all = append(all, n)
	}
	return all
}

// sample is one pair of which the truth is known.
type sample struct {
	x     []float64
	right bool
}

// fit fits a logistic curve, by Newton's way with a small penalty.
func fit(all []sample, n int) []float64 {
	w := make([]float64, n)
	for range 25 {
		h := make([][]float64, n)
		g := make([]float64, n)
		for i := range h {
			h[i] = make([]float64, n)
			h[i][i] = 1
			g[i] = -w[i]
		}
		for _, s := range all {
			z := 0.0
			for i, v := range s.x {
				z += w[i] * v
			}
			p := logistic(z)
			y := 0.0
			if s.right {
				y = 1
			}
			for i, v := range s.x {
				g[i] += (y - p) * v
				for k := range i + 1 {
					h[i][k] += p * (1 - p) * v * s.x[k]
				}
			}
		}
		for i := range h {
			for k := i + 1; k < n; k++ {
				h[i][k] = h[k][i]
			}
		}
		step := solve(h, g)
		for i := range w {
			w[i] += step[i]
		}
	}
	return w
}

func solve(h [][]float64, g []float64) []float64 {
	n := len(g)
	for i := range n {
		most := i
		for k := i; k < n; k++ {
			if abs(h[k][i]) > abs(h[most][i]) {
				most = k
			}
		}
		h[i], h[most], g[i], g[most] = h[most], h[i], g[most], g[i]
		for k := i + 1; k < n; k++ {
			by := h[k][i] / h[i][i]
			for c := i; c < n; c++ {
				h[k][c] -= by * h[i][c]
			}
			g[k] -= by * g[i]
		}
	}
	for i := n - 1; i >= 0; i-- {
		for k := i + 1; k < n; k++ {
			g[i] -= h[i][k] * g[k]
		}
		g[i] /= h[i][i]
	}
	return g
}

func abs(x float64) float64 { return max(x, -x) }

// TestFit prints the weights, with FIT=1.
func TestFit(t *testing.T) {
	if os.Getenv("FIT") == "" {
		t.Skip("prints the weights that stand in confidence.go, with FIT=1")
	}
	for round := range 3 {
		var first, last []sample
		for _, n := range fitted {
			s := makeSite(n, sizeOf(n))
			f := newFinder(s.olds, s.news)
			one := f.round(context.Background(), nil, nil)
			f.learn(one, nil)
			two := f.round(context.Background(), one, nil)
			f.rivals(two)
			for at, all := range two {
				for i, c := range all {
					x := make([]float64, measures+1)
					for m, v := range c.by {
						x[m] = float64(v)
					}
					x[measures] = 1
					right := int(c.page) == s.truth[at]
					first = append(first, sample{x, right})
					if i < 2 {
						y := f.signs(at, all, i)
						last = append(last, sample{y[:], right})
					}
				}
			}
		}
		a, b := fit(first, int(measures)+1), fit(last, int(allSigns))
		for i := range measures {
			firstWeights[i] = float32(a[i])
		}
		copy(lastWeights[:], b)
		fmt.Printf(
			"round %d: %d and %d samples\nfirst %.2f\nlast %.2f\n",
			round,
			len(first),
			len(last),
			a,
			b,
		)
	}
	for _, sets := range [][]uint64{fitted, heldOut} {
		fmt.Println(judge(t, sets))
	}
}

// quality is what pairs are worth.
type quality struct {
	have, first, three int // old pages with a counterpart; it comes first; it is among three
	none, wrong        int // those without; a page is said with confidence
	at                 [10][2]int
	kinds              map[string][2]int
}

func (q quality) String() string {
	text := fmt.Sprintf("first %.3f of %d, among three %.3f; confident wrong %.3f of %d without\n",
		float64(q.first)/float64(q.have), q.have, float64(q.three)/float64(q.have),
		float64(q.wrong)/float64(q.none), q.none)
	for i, n := range q.at {
		if n[0] > 0 {
			text += fmt.Sprintf("  %.1f: %5d, right %.3f\n", float64(i)/10, n[0],
				float64(n[1])/float64(n[0]))
		}
	}
	return text + fmt.Sprint(q.kinds)
}

func judge(t *testing.T, sets []uint64) quality {
	q := quality{kinds: map[string][2]int{}}
	for _, n := range sets {
		s := makeSite(n, sizeOf(n))
		found, err := Find(context.Background(), s.olds, s.news, nil, nil)
		require.NoError(t, err)
		have, first, wrong := 0, 0, 0
		for at, m := range found.Of {
			best, sure := -1, 0.0
			if len(m.Candidates) > 0 {
				best, sure = m.Candidates[0].New, m.Candidates[0].Confidence
				i := min(9, int(sure*10))
				q.at[i][0]++
				if best == s.truth[at] {
					q.at[i][1]++
				}
			}
			if s.truth[at] < 0 {
				q.none++
				if sure >= Certain {
					q.wrong++
					wrong++
				}
				continue
			}
			q.have++
			have++
			k := q.kinds[s.kinds[at]]
			k[0]++
			if best == s.truth[at] {
				q.first++
				first++
				k[1]++
			} else if os.Getenv("SHOW") == fmt.Sprint(n) {
				got := "-"
				if best >= 0 {
					got = s.news[best].URL
				}
				fmt.Printf("%s %q\n   want %s %q\n   got  %s %.2f\n", s.olds[at].URL, s.olds[at].Title,
					s.news[s.truth[at]].URL, s.news[s.truth[at]].Title, got, sure)
			}
			q.kinds[s.kinds[at]] = k
			if slices.ContainsFunc(m.Candidates, func(c Candidate) bool { return c.New == s.truth[at] }) {
				q.three++
			}
		}
		if os.Getenv("FIT") != "" {
			fmt.Printf("site %d: %.3f of %d, wrong %d\n", n, float64(first)/float64(have), have, wrong)
		}
	}
	return q
}

// TestPairsOfSitesThatWereHeldOut measures what pairs are worth on sites from which no weight came.
func TestPairsOfSitesThatWereHeldOut(t *testing.T) {
	q := judge(t, heldOut[:12])
	t.Log(q)
	assert.GreaterOrEqual(t, float64(q.first)/float64(q.have), 0.95)
	assert.LessOrEqual(t, float64(q.wrong)/float64(q.none), 0.02)
	for i, n := range q.at {
		if n[0] >= 200 {
			assert.InDelta(t, float64(i)/10+0.05, float64(n[1])/float64(n[0]), 0.15, "at 0.%d: %v", i, n)
		}
	}
}

// TestCalibration prints slope and shift of the confidence, beside those that it has, with FIT=1.
func TestCalibration(t *testing.T) {
	if os.Getenv("FIT") == "" {
		t.Skip("fits slope and shift that stand in confidence.go, with FIT=1")
	}
	var all []sample
	for _, n := range numbers(2001, 2040) {
		s := makeSite(n, sizeOf(n))
		found, err := Find(context.Background(), s.olds, s.news, nil, nil)
		require.NoError(t, err)
		for at, m := range found.Of {
			if len(m.Candidates) > 0 {
				c := m.Candidates[0]
				p := min(max(c.Confidence, 1e-6), 1-1e-6)
				z := (math.Log(p/(1-p)) - shift) / slope
				all = append(all, sample{[]float64{z, 1}, c.New == s.truth[at]})
			}
		}
	}
	fmt.Println("slope and shift", fit(all, 2))
}

// TestPrecision prints what a confidence is worth on sites of which no weight came, and draws it
// for the guide, with FIT=1.
func TestPrecision(t *testing.T) {
	if os.Getenv("FIT") == "" {
		t.Skip("measures all sites and draws docs/precision.svg, with FIT=1")
	}
	fmt.Println(judge(t, fitted))
	q := judge(t, heldOut)
	fmt.Println(q)
	require.NoError(t, os.WriteFile("../../../docs/precision.svg", []byte(q.drawn()), 0o644))
}

// drawn draws for each confidence how many of so many pairs are right.
func (q quality) drawn() string {
	const left, bottom, wide, high = 60.0, 250.0, 50.0, 200.0
	text := `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 620 310" width="620" height="310" ` +
		`font-family="sans-serif" font-size="13" fill="#1d2a33" role="img">` +
		"\n<title>How many pairs of each confidence are right</title>\n" +
		`<rect width="620" height="310" fill="#fff"/>` + "\n"
	for _, p := range []int{0, 50, 100} {
		y := bottom - high*float64(p)/100
		text += fmt.Sprintf(`<path d="M%.0f %.0fH%.0f" stroke="#dde2e4"/>`+
			`<text x="%.0f" y="%.0f" text-anchor="end">%d %%</text>`+"\n", left, y, left+10.5*wide,
			left-8, y+4, p)
	}
	for i, n := range q.at {
		if n[0] == 0 {
			continue
		}
		right, x := float64(n[1])/float64(n[0]), left+float64(i)*wide
		text += fmt.Sprintf(`<rect x="%.0f" y="%.1f" width="%.0f" height="%.1f" fill="#2a5680"/>`+
			`<text x="%.0f" y="%.1f" text-anchor="middle">%.3g</text>`+
			`<text x="%.0f" y="%.0f" text-anchor="middle">0.%d</text>`+
			`<text x="%.0f" y="%.0f" text-anchor="middle" fill="#566570" font-size="11">%d</text>`+"\n",
			x+8, bottom-high*right, wide-16, high*right, x+wide/2, bottom-high*right-5, 100*right,
			x+wide/2, bottom+18, i, x+wide/2, bottom+34, n[0])
	}
	return text + fmt.Sprintf(`<path d="M%.0f %.0fL%.0f %.0f" stroke="#7a4f00" stroke-width="1.5" `+
		`stroke-dasharray="5 4"/><text x="%.0f" y="%.0f" fill="#7a4f00">as many as it says</text>`+"\n"+
		`<text x="%.0f" y="%.0f" fill="#566570">confidence from, and pairs</text>`+"\n</svg>\n",
		left, bottom, left+10*wide, bottom-high, left+1.9*wide, bottom-high*0.62, left, bottom+52)
}

// TestShow prints what goes wrong on one site, with SHOW and its number.
func TestShow(t *testing.T) {
	var n uint64
	if _, err := fmt.Sscan(os.Getenv("SHOW"), &n); err != nil {
		t.Skip("prints what goes wrong on one site, with SHOW and its number")
	}
	fmt.Println(judge(t, []uint64{n}))
}

// plainly is the plain counterpart: the share of weighted words of both addresses that is common.
func plainly(s *madeSite) (first, have, wrong, none int) {
	cut := func(u string) []string {
		words := strings.FieldsFunc(strings.ToLower(u[strings.Index(u, "example/")+8:]),
			func(r rune) bool { return r != '%' && (r < '0' || r > '9') && (r < 'a' || r > 'z') })
		slices.Sort(words)
		return slices.Compact(words)
	}
	count, by := map[string]int{}, map[string][]int{}
	var olds, news [][]string
	for i, p := range s.news {
		news = append(news, cut(p.URL))
		for _, w := range news[i] {
			count[w]++
			by[w] = append(by[w], i)
		}
	}
	for i, p := range s.olds {
		olds = append(olds, cut(p.URL))
		for _, w := range olds[i] {
			count[w]++
		}
	}
	rare := func(w string) float64 {
		return math.Log(float64(len(olds)+len(news)+1) / float64(count[w]))
	}
	for at, words := range olds {
		sums := map[int]float64{}
		own := 0.0
		for _, w := range words {
			own += rare(w)
			for _, i := range by[w] {
				sums[i] += rare(w)
			}
		}
		best, most := -1, 0.0
		for i, sum := range sums {
			all := own - sum
			for _, w := range news[i] {
				all += rare(w)
			}
			if v := sum / all; v > most || v == most && i < best {
				best, most = i, v
			}
		}
		switch {
		case s.truth[at] < 0:
			none++
			if most > 0.6 {
				wrong++
			}
		default:
			have++
			if best == s.truth[at] {
				first++
			}
		}
	}
	return
}

// TestThePlainCounterpart says what the share of common words alone is worth on these sites.
func TestThePlainCounterpart(t *testing.T) {
	var first, have, wrong, none int
	for _, n := range heldOut[:8] {
		a, b, c, d := plainly(makeSite(n, sizeOf(n)))
		first, have, wrong, none = first+a, have+b, wrong+c, none+d
	}
	assert.Less(t, float64(first)/float64(have), 0.85)
	t.Logf(
		"first %.3f, confident wrong %.3f",
		float64(first)/float64(have),
		float64(wrong)/float64(none),
	)
}
