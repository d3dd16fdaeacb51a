package report

import (
	"fmt"
	"io"
	"net/http"

	"upperpath.example/upperpath/internal/core/predict"
	"upperpath.example/upperpath/internal/core/proof"
)

// Tries writes what happens to URLs in a format: text or json.
func Tries(w io.Writer, format string, tries []predict.Try, s Style) error {
	if format == "json" {
		return JSON(w, struct {
			Schema string        `json:"schema"`
			Tries  []predict.Try `json:"tries"`
		}{"upperpath/try/1", tries})
	}
	for i, t := range scrubbed(tries) {
		if i > 0 {
			fmt.Fprintln(w)
		}
		fmt.Fprintf(w, "%s\n", s.strong(t.URL))
		switch {
		case t.Rule > 0:
			fmt.Fprintf(w, "  line %d takes it: %s\n", t.Rule, shown(t.Old))
		case t.Status == http.StatusOK && t.Assumed == predict.OutsideEstate:
			fmt.Fprintln(w, "  no rule is asked: it is no door of the estate")
		case t.Status == http.StatusOK:
			fmt.Fprintln(w, "  no rule is asked: it is served")
		default:
			fmt.Fprintln(w, "  no rule takes it: the fallback of its domain, or the site, answers")
		}
		for _, r := range t.Rivals {
			fmt.Fprintln(
				w,
				s.faint(
					indent(
						fmt.Sprintf(
							"line %d would take it too: %s; but line %d wins, since %s",
							r.Line,
							shown(r.Old),
							t.Rule,
							r.Why,
						),
						"  ",
						s.width(),
					),
				),
			)
		}
		if t.Location != "" {
			fmt.Fprintf(w, "  it gives %d  %s\n", t.Status, t.Location)
		} else if t.Status > 0 {
			fmt.Fprintf(w, "  it gives %d\n", t.Status)
		}
		for n, step := range t.Chain {
			mark := "→"
			if n == 0 {
				mark = "•"
			}
			answer := s.faint(fmt.Sprint(step.Status))
			switch {
			case step.Refusal != "":
				answer = s.severity("error", step.Refusal+": nobody answers there")
			case step.Status == 404:
				answer = s.severity("error", "404: none of the pages that exist")
			}
			fmt.Fprintf(w, "    %s %s  %s\n", mark, step.URL, answer)
		}
		switch t.Assumed {
		case predict.OutsideEstate:
			fmt.Fprintf(w, "      %s\n", s.faint("taken for granted: nobody looked at what is outside the estate"))
		case predict.PagesUnknown:
			fmt.Fprintf(w, "      %s\n", s.faint("taken for granted: the estate file lists no pages (site.pages)"))
		}
		switch t.End {
		case "loop":
			fmt.Fprintf(w, "    %s\n", s.severity("error", "↺ and round again, for ever"))
		case "limit":
			fmt.Fprintf(w, "    %s\n", s.severity("error", "… and on: browsers give up here"))
		}
	}
	return nil
}

// Straightening is a line of the rules that changes, or one that is added behind it; without Now it goes.
type Straightening struct {
	Line  int    `json:"line"`
	Old   string `json:"old"`
	Was   string `json:"was,omitempty"`
	Now   string `json:"now,omitempty"`
	Why   string `json:"why"`
	Added bool   `json:"added,omitempty"` // a line of its own behind it
}

// straightenings gives changes as lines of the rules.
func straightenings(all []proof.Straightened) []Straightening {
	made := []Straightening{}
	for _, s := range all {
		one := Straightening{Line: s.Line, Old: s.Old.Old.String(), Was: s.Old.New.String()}
		if s.New == nil {
			one.Why = fmt.Sprintf("line %d says the same", s.Same)
		} else {
			one.Now, one.Why = s.New.New.String(), plural(s.Hops, "hop")
		}
		made = append(made, one)
		for _, a := range s.Added {
			made = append(
				made,
				Straightening{Line: s.Line, Old: a.Old.String(), Now: a.New.String(), Added: true, Why: "leads elsewhere"},
			)
		}
	}
	return made
}

// Straightened writes what straightening changes in a format: text or json.
func Straightened(w io.Writer, format string, all []proof.Straightened, path string, written bool, s Style) error {
	changes := straightenings(all)
	if format == "json" {
		return JSON(w, struct {
			Schema  string          `json:"schema"`
			File    string          `json:"file"`
			Written bool            `json:"written"`
			Changes []Straightening `json:"changes"`
		}{"upperpath/straighten/1", path, written, changes})
	}
	changes, path = scrubbed(changes), scrubbed(path)
	if len(changes) == 0 {
		fmt.Fprintln(w, "Nothing was found to straighten. What loops, or could not be decided, is shown by: upperpath prove")
		return nil
	}
	t := s.newTable()
	t.AppendHeader(row([]string{"line", "old", "was", "becomes", "why"}))
	for _, c := range changes {
		now := c.Now
		if now == "" {
			now = "dropped"
		}
		line, was := fmt.Sprint(c.Line), cut(shown(c.Was), 40)
		if c.Added {
			line, was = "new", "the line above"
		}
		t.AppendRow(row([]string{line, cut(shown(c.Old), 44), was, cut(shown(now), 40), c.Why}))
	}
	render(w, t, s)
	if written {
		fmt.Fprintf(w, "\n%s: %s changed; everything else is as it was.\n", path, plural(len(changes), "line"))
		return nil
	}
	fmt.Fprintf(w, "\nNothing was changed. To change %s: upperpath rules straighten --write\n", path)
	return nil
}
