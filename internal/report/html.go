package report

import (
	_ "embed"
	"fmt"
	"html/template"
	"io"
	"strings"
	"time"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/finding"
)

//go:embed report.html.tmpl
var pageSource string

var page = template.Must(template.New("report").Funcs(template.FuncMap{
	"sign": sign, "plural": plural,
	"tone": func(s finding.Severity) string {
		if s == "" {
			return "fine"
		}
		return string(s)
	},
	"severity": func(c finding.Code) finding.Severity { return c.Kind().Severity },
	"meets":    func(c finding.Code) string { return c.Kind().Meets },
	"fix":      fixOf,
	"readable": readable,
	"met":      func(f finding.Finding) string { return metFrom(f, 5) },
}).Parse(pageSource))

// Section is one audit of a report, such as before and after.
type Section struct {
	Name  string // such as "Today"
	Audit *chain.Audit
}

// HTML writes one page that needs nothing but itself: for each section the verdict, the grid of doors, the findings,
// and every chain drawn.
func HTML(w io.Writer, title string, made time.Time, sections []Section) error {
	views := make([]sectionView, len(sections))
	title = scrubbed(title)
	for i, s := range scrubbed(sections) {
		views[i] = viewSection(i, s)
	}
	return page.Execute(w, map[string]any{"Title": title, "Made": made.Format("2 January 2006"), "Sections": views})
}

type sectionView struct {
	ID, Name, Vantage, Started string
	Verdict                    string
	Worst                      finding.Severity
	Doors, Clean               int
	Share                      int // of clean doors, in percent
	Counts                     map[string]int
	Rows                       []*Row
	Findings                   []finding.Finding
	Chains                     []chainGroup
	Notes                      []string
}

// chainGroup is the chains of one host.
type chainGroup struct {
	Host   string
	Worst  finding.Severity
	Chains []chainView
}

type chainView struct {
	Entry string
	About string
	Worst finding.Severity
	Hops  []hopView
	End   string
	Codes []finding.Code
}

type hopView struct {
	URL, Status, Facts, Certificate, Detail string
	Tone                                    finding.Severity
	Last                                    bool
}

func viewSection(index int, s Section) sectionView {
	a := s.Audit
	v := sectionView{
		ID:       fmt.Sprintf("part%d", index+1),
		Name:     s.Name,
		Vantage:  a.Vantage,
		Started:  a.Started.Format("2006-01-02 15:04 MST"),
		Worst:    finding.Worst(a.Findings),
		Findings: a.Findings,
		Notes:    a.Notes,
		Counts:   map[string]int{},
	}
	var grid Grid
	groups := map[string]int{}
	for _, c := range a.Chains {
		grid.Add(c)
		host := c.Entry.Host().Unicode()
		at, have := groups[host]
		if !have {
			at = len(v.Chains)
			groups[host] = at
			v.Chains = append(v.Chains, chainGroup{Host: host})
		}
		g := &v.Chains[at]
		g.Chains = append(g.Chains, viewChain(c, a.Started))
		if w := finding.Worst(c.Findings); w.Rank() > g.Worst.Rank() {
			g.Worst = w
		}
	}
	v.Rows = grid.Rows
	v.Doors, v.Clean = grid.Count()
	if v.Doors > 0 {
		v.Share = 100 * v.Clean / v.Doors
	}
	for severity, n := range Counts(a.Findings) {
		v.Counts[string(severity)] = n
	}
	v.Verdict = Verdict(0, 0, a.Findings)
	return v
}

func viewChain(c chain.Chain, now time.Time) chainView {
	v := chainView{
		Entry: c.Entry.String(),
		About: about(c.Probe),
		Worst: finding.Worst(c.Findings),
		End:   endText(c),
	}
	for _, f := range c.Findings {
		v.Codes = append(v.Codes, f.Code)
	}
	for i, h := range c.Hops {
		hop := hopView{
			URL:    h.URL.String(),
			Status: statusText(h),
			Facts:  strings.Join(hopFacts(h), " · "),
			Detail: h.Detail,
			Tone:   hopSeverity(c, i),
			Last:   i == len(c.Hops)-1,
		}
		if h.TLS != nil {
			hop.Certificate = certificateLine(h.TLS, now)
		}
		v.Hops = append(v.Hops, hop)
	}
	return v
}
