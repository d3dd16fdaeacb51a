package report

import (
	"cmp"
	"fmt"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/recheck"
	"upperpath.example/upperpath/internal/core/wording"
	"upperpath.example/upperpath/internal/doc"
	"upperpath.example/upperpath/internal/words"
)

// EstateChecked is one of many estates that were looked at again.
type EstateChecked struct {
	Name     string // its folder
	State    *recheck.State
	News     *recheck.News
	Accepted bool   // what was seen is what to compare with from now on
	Mail     string // the file with what is new; "" where nothing is
	Failed   string // why it could not be looked at; "" where it was
	Took     time.Duration
}

// Any reports whether there is anything to say of an estate.
func (e *EstateChecked) Any() bool { return e.News != nil && !e.Accepted && e.News.Any() }

// rank says how grave what is known of an estate is.
func (e *EstateChecked) rank() int {
	switch {
	case e.Failed != "":
		return 10
	case !e.Any():
		return 0
	}
	rank := 1 + 2*e.News.Worse().Rank()
	if len(e.News.Unseen) > 0 {
		rank++
	}
	return rank
}

// WorstFirst puts estates into the order in which somebody has to look at them.
func WorstFirst(all []EstateChecked) {
	slices.SortStableFunc(all, func(a, b EstateChecked) int {
		news := func(e *EstateChecked) int {
			if e.News == nil {
				return 0
			}
			return len(e.News.New) + len(e.News.Changed) + len(e.News.Back)
		}
		return cmp.Or(b.rank()-a.rank(), news(&b)-news(&a), cmp.Compare(a.Name, b.Name))
	})
}

// tone says how good or bad an estate is.
func (e *EstateChecked) tone() doc.Tone {
	switch {
	case e.Failed != "":
		return doc.Failed
	case !e.Any():
		return doc.Good
	case e.News.Worse() == finding.Error:
		return doc.Failed
	case e.News.Worse() == finding.Warning:
		return doc.Warned
	case len(e.News.New)+len(e.News.Changed)+len(e.News.Back)+len(e.News.First) == 0 &&
		len(e.News.Unseen) > 0:
		return doc.Unseen
	}
	return doc.Noted
}

// Estates shows many estates that were looked at again, a line each.
func Estates(folder string, all []EstateChecked, took time.Duration) doc.Doc {
	t := doc.Table{Sheet: "estates", Head: []string{"estate", "", "new", "changed", "fixed", "unseen",
		"site"}}
	failed, some, mails := 0, 0, ""
	fails := doc.List{Title: words.EstatesFailed, Tone: doc.Failed}
	data := []map[string]any{}
	for i := range all {
		e := &all[i]
		row := map[string]any{"estate": e.Name, "took": e.Took.Seconds()}
		said, counts, site := words.EstateSame, []string{"", "", "", ""}, ""
		switch {
		case e.Failed != "":
			failed++
			said = words.EstateFailed
			fails.Items = append(fails.Items, doc.Phrasef("%s: %s", e.Name, e.Failed))
			row["failed"] = e.Failed
		case e.Accepted:
			said = words.EstateAccepted
		case e.Any():
			some++
			said = words.EstateNews(e.News.Worse(), e.News.Since.IsZero())
		}
		if e.News != nil {
			n := e.News
			figures := []int{len(n.New) + len(n.First) + len(n.Back), len(n.Changed), len(n.Mended),
				len(n.Unseen)}
			for j, name := range []string{"new", "changed", "mended", "unseen"} {
				row[name] = figures[j]
				if counts[j] = fmt.Sprint(figures[j]); figures[j] == 0 {
					counts[j] = ""
				}
			}
			site = e.State.Canonical
			row["canonical"], row["mail"] = site, e.Mail
		}
		data = append(data, row)
		cells := []doc.Cell{{Text: doc.Phrase(e.Name)}, {Text: doc.Phrase(said), Tone: e.tone()}}
		for _, c := range counts {
			cells = append(cells, doc.Cell{Text: doc.Phrase(c)})
		}
		if e.Mail != "" {
			mails = e.Mail[:len(e.Mail)-len(filepath.FromSlash(e.Name)+".txt")]
		}
		t.Rows = append(t.Rows, append(cells, doc.Cell{Text: doc.Phrase(site)}))
	}
	v := doc.Verdict{Tone: doc.Good, Says: doc.Phrasef(words.EstatesSame,
		wording.Count(len(all), "estate"), seconds(took))}
	if some+failed > 0 {
		v = doc.Verdict{Tone: all[0].tone(), Says: doc.Phrasef(words.EstatesNews, some, len(all),
			failed, seconds(took))}
	}
	if mails = strings.TrimRight(mails, `/\`); mails != "" {
		v.Next = doc.Cat(doc.Phrase(words.EstatesMails), doc.Copy(mails))
	}
	blocks := []doc.Block{t}
	if failed > 0 {
		blocks = append(blocks, fails)
	}
	return doc.Doc{Name: "estates", Title: "Estates below " + folder,
		Blocks: doc.Of(append(blocks, v)...),
		Data:   map[string]any{"schema": "upperpath/estates/1", "estates": data}}
}

// seconds gives a short time.
func seconds(d time.Duration) string {
	if d < 2*time.Minute {
		return fmt.Sprintf("%.0f s", d.Seconds())
	}
	return wording.Span(d)
}

// MetricsOfAll gives figures of many estates for Prometheus, each with its name.
func MetricsOfAll(all []EstateChecked) []byte {
	var f figures
	f.family("recheck_failed", "Whether an estate could not be checked.")
	ordered := slices.Clone(all)
	slices.SortFunc(ordered, func(a, b EstateChecked) int { return cmp.Compare(a.Name, b.Name) })
	for i := range ordered {
		e := &ordered[i]
		f.estate = e.Name
		failed := int64(0)
		if e.Failed != "" {
			failed = 1
		}
		f.line("recheck_failed", "", "", failed)
		if e.News != nil {
			f.of(e.State, e.News)
		}
	}
	return f.bytes()
}
