package proof

import (
	"fmt"
	"strings"
	"testing"

	"upperpath.example/upperpath/internal/core/estate"
	"upperpath.example/upperpath/internal/core/predict"
	"upperpath.example/upperpath/internal/core/rule"
	"upperpath.example/upperpath/internal/core/web"
)

// nasty are families of rules that feed each other: what each gives for a number of rules.
var nasty = map[string]func(i, n int) (old, to string){
	// Each makes the path a letter longer, and the next one takes that: what is longest goes round
	// without end.
	"growing": func(i, _ int) (string, string) {
		return "/" + strings.Repeat("a", i+1) + "{+r}", "/" + strings.Repeat("a", i+2) + "{+r}"
	},
	"shrinking": func(i, _ int) (string, string) {
		return "/" + strings.Repeat("a", i+2) + "{+r}", "/" + strings.Repeat("a", i+1) + "{+r}"
	},
	// A pattern in the middle of a path meets what every other leads to.
	"crossing": func(i, n int) (string, string) {
		return fmt.Sprintf("/{x}-p%d-{+r}", i), fmt.Sprintf("/{x}-p%d-{+r}", (i+1)%n)
	},
	"crossing both ways": func(i, n int) (string, string) {
		return fmt.Sprintf("/{x}/s%d/{+r}", i), fmt.Sprintf("/s%d/{x}/{+r}", (i+1)%n)
	},
	"ladder": func(i, _ int) (string, string) {
		return fmt.Sprintf("/l%d/{+r}", i), fmt.Sprintf("/l%d/{+r}", i+1)
	},
	"doubling": func(i, n int) (string, string) {
		return fmt.Sprintf("/d%d/{x}", i), fmt.Sprintf("/d%d/{x}{x}", (i+1)%n)
	},
	"turning": func(i, n int) (string, string) {
		return fmt.Sprintf("/{x}/{y}/t%d", i), fmt.Sprintf("/{y}/{x}/t%d", (i+1)%n)
	},
	"endings": func(i, n int) (string, string) {
		return fmt.Sprintf("/{r}.e%d", i), fmt.Sprintf("/{r}.e%d.x", (i+1)%n)
	},
	"segments": func(i, n int) (string, string) {
		return "/" + strings.Repeat(
				"{x%d}/",
				0,
			) + segments(
				i%7+1,
			) + fmt.Sprintf(
				"/g%d",
				i,
			), "/" + targets(
				i%7+1,
			) + fmt.Sprintf(
				"/h/g%d",
				(i+1)%n,
			)
	},
	"digits": func(i, n int) (string, string) {
		return fmt.Sprintf("/{a:digits}-{b}%d{c}", i), fmt.Sprintf("/{a}-{c}%d{b}", (i+3)%n)
	},
	"stars behind stars": func(i, n int) (string, string) {
		return fmt.Sprintf(
				"/{x}%c{y}%c{+r}",
				'a'+i%26,
				'a'+(i*7)%26,
			), fmt.Sprintf(
				"/{y}%c{x}%c{+r}",
				'a'+(i+1)%26,
				'a'+(i*5)%26,
			)
	},
	// What is asked of the query: any of them may have been asked for, so that a visitor goes round
	// any number of times.
	"queries anew": func(i, _ int) (string, string) {
		return fmt.Sprintf("/p?k%d={v}", i), fmt.Sprintf("/p?j%d={v}", i)
	},
	"queries in a ring": func(i, n int) (string, string) {
		return fmt.Sprintf("/p?k%d={v}", i), fmt.Sprintf("/p?k%d={v}", (i+1)%n)
	},
	"queries anywhere": func(i, _ int) (string, string) {
		return fmt.Sprintf("/{+p}?k%d={v}", i), fmt.Sprintf("/{+p}?z%d={v}", i)
	},
	"queries used up": func(i, _ int) (string, string) { return fmt.Sprintf("/p?k%d=a", i), "/p" },
	"queries and captures": func(i, _ int) (string, string) {
		return fmt.Sprintf("/{a}-{b}?k%d=a", i), "/{b}-{a}"
	},
	"tripling": func(i, _ int) (string, string) {
		return fmt.Sprintf("/t%d/{+r}", i), fmt.Sprintf("/t%d/{+r}/{+r}/{+r}", i)
	},
	"to the root": func(i, _ int) (string, string) {
		return fmt.Sprintf("/%sx{+r}", strings.Repeat("{a}", 0)+strings.Repeat("y", i)), "/{+r}"
	},
}

func segments(n int) string {
	var all []string
	for i := range n {
		all = append(all, fmt.Sprintf("{s%d}", i))
	}
	return strings.Join(all, "/")
}

func targets(n int) string {
	var all []string
	for i := range n {
		all = append(all, fmt.Sprintf("{s%d}", n-1-i))
	}
	return strings.Join(all, "/")
}

// nastyWorld makes an estate of one old domain with n rules of a family, that lead to itself.
func nastyWorld(b testing.TB, family func(i, n int) (old, to string), n int) *predict.Prediction {
	b.Helper()
	in := bigInput(b, 0)
	rows := make([]rule.Row, n)
	for i := range rows {
		old, to := family(i, n)
		rows[i] = rule.Row{Line: i + 2, Old: "old0.example" + old, New: "https://old0.example" + to}
	}
	holds := func(h web.Host) bool { return in.Estate.DomainOf(h) != nil }
	rules, wrong := rule.Parse(rows, rule.Scope{Holds: holds, Serves: in.Estate.Serves})
	if err := wrong.Err(); err != nil {
		b.Fatal(err)
	}
	return predict.New(predict.Input{Estate: in.Estate, Rules: rules})
}

var _ = estate.Gone

// BenchmarkProveNasty decides, or leaves undecided, families of 50 rules that feed each other: each
// in under 5 seconds.
func BenchmarkProveNasty(b *testing.B) {
	for name, family := range nasty {
		for _, work := range []struct {
			name string
			do   func(*predict.Prediction) any
		}{{"prove", func(w *predict.Prediction) any { return Prove(w, nil).Verdict }}, {"straighten",
			func(w *predict.Prediction) any { return len(Straighten(w)) }}} {
			b.Run(name+"/"+work.name, func(b *testing.B) {
				w := nastyWorld(b, family, 50)
				var said any
				for b.Loop() {
					said = work.do(w)
				}
				b.Logf("%v", said)
			})
		}
	}
}
