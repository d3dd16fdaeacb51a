package pair

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"upperpath.example/upperpath/internal/core/web"
)

// Columns are the columns of a work sheet of pairs. What is proposed stands in the last ones too,
// so that what somebody wrote into new is known.
var Columns = []string{"old", "new", "confidence", "reason", "decision", "weight", "note",
	"proposed", "second", "third", "section"}

// Row is a row of a work sheet of pairs.
type Row struct {
	Line                                         int
	Old, New, Confidence, Reason, Decision, Note string
	Weight                                       int64
	Proposed, Second, Third, Section             string
	Extra                                        []string // by Sheet.Extra
}

// Decided reports whether a person has decided: by a word, or by writing another page into new.
func (r Row) Decided() bool {
	return r.Decision != "" && r.Decision != Later ||
		r.Decision == "" && r.New != "" && r.New != r.Proposed
}

// The words of the column decision beside a URL or a path.
const (
	Yes     = "yes"
	Second  = "2"
	Third   = "3"
	Section = "section"
	IsGone  = "gone"
	Later   = "later"
)

// Words are what a spreadsheet offers for the column decision.
var Words = []string{Yes, Second, Third, Section, IsGone, Later}

// Target gives where a decided row leads, as it is written; gone says that it is gone.
func (r Row) Target() (to string, gone bool) {
	switch r.Decision {
	case IsGone:
		return "", true
	case Second:
		return r.Second, false
	case Third:
		return r.Third, false
	case Section:
		return r.Section, false
	case Yes, "":
		return r.New, false
	}
	return r.Decision, false
}

// ReadDecision reads what stands in the column decision; false where nobody knows what it means.
func ReadDecision(cell string) (string, bool) {
	lower := strings.ToLower(strings.TrimSuffix(cell, ".0"))
	switch lower {
	case "", Section, IsGone, Later, Second, Third:
		return lower, true
	case Yes, "y", "1", "ok", "x", "true":
		return Yes, true
	case "410", "-", "–", "—":
		return IsGone, true
	}
	if strings.HasPrefix(cell, "/") || strings.Contains(cell, "://") {
		return cell, true
	}
	return cell, false
}

// Sheet is a work sheet of pairs.
type Sheet struct {
	Rows  []Row
	Extra []string // names of columns that are somebody's own
}

// Goal gives where a decided row leads; false where it does not say, or no URL.
func (r Row) Goal(site web.Door) (to web.URL, gone, known bool) {
	text, gone := r.Target()
	if gone || !r.Decided() || text == "" {
		return web.URL{}, gone, gone
	}
	to, err := ParseTarget(text, site)
	return to, false, err == nil
}

// ParseTarget reads a target: a path of the site, or a whole URL.
func ParseTarget(text string, site web.Door) (web.URL, error) {
	if strings.HasPrefix(text, "/") {
		return web.ParseURL(site.String() + text)
	}
	return web.ParseURL(text)
}

// shownTarget writes a page as the sheet does: a path where it is one of the site.
func shownTarget(url string, site web.Door) string {
	u, err := web.ParseURL(url)
	if err != nil {
		return url
	}
	if u.Door() == site {
		return u.RequestURI()
	}
	return u.String()
}

// Key gives an address in the form in which pairs are compared: a URL by RFC 3986 section 6.2.2.
func Key(text string) string {
	if u, err := web.ParseURL(text); err == nil {
		return u.Key()
	}
	return text
}

// DecidedOf gives the decisions of a sheet for Find: the places of old pages are those of olds.
func (s *Sheet) DecidedOf(olds, news []Page, site web.Door) []Decision {
	at, target := make(map[string]int, len(olds)), make(map[string]string, len(news))
	for i, p := range olds {
		at[Key(p.URL)] = i
	}
	for _, p := range news {
		target[Key(p.URL)] = p.URL
	}
	var all []Decision
	for _, r := range s.Rows {
		i, known := at[Key(r.Old)]
		to, gone, ok := r.Goal(site)
		switch {
		case !known || !ok:
		case gone:
			all = append(all, Decision{Old: i})
		default:
			all = append(all, Decision{Old: i, New: target[to.Key()]})
		}
	}
	return all
}

// Take brings what was found into the sheet. Rows that a person has decided stay as they are, and
// so do notes, further columns, and rows of addresses that are not among the old ones; say gives
// the reason of a match as a sentence. Rows come out with the heaviest undecided first.
func (s *Sheet) Take(
	olds, news []Page,
	found *Found,
	site web.Door,
	say func(m Match, section string) string,
) {
	at := make(map[string]int, len(s.Rows))
	for i, r := range s.Rows {
		if _, twice := at[Key(r.Old)]; !twice {
			at[Key(r.Old)] = i
		}
	}
	for i, p := range olds {
		m := found.Of[i]
		if m.Front {
			continue
		}
		k, known := at[Key(p.URL)]
		if !known {
			k = len(s.Rows)
			at[Key(p.URL)] = k
			s.Rows = append(s.Rows, Row{Old: p.URL})
		}
		r := &s.Rows[k]
		r.Weight = p.Weight
		if r.Decided() {
			continue
		}
		r.New, r.Proposed, r.Second, r.Third, r.Section, r.Confidence = "", "", "", "", "", ""
		all := m.Candidates
		shown := func(n int) string {
			if n >= len(all) {
				return ""
			}
			return shownTarget(news[all[n].New].URL, site)
		}
		if !m.None() {
			r.Proposed, r.Second, r.Third = shown(0), shown(1), shown(2)
			r.Confidence = Confidence(all[0].Confidence)
		} else {
			r.Second, r.Third = shown(0), shown(1)
		}
		r.New = r.Proposed
		if m.Section >= 0 {
			r.Section = shownTarget(news[m.Section].URL, site)
		}
		r.Reason = say(m, r.Section)
	}
	s.Sort()
}

// Confidence writes a confidence; certainty there is none.
func Confidence(x float64) string { return fmt.Sprintf("%.2f", min(0.99, x)) }

// Sort puts the heaviest undecided rows first, then the decided ones.
func (s *Sheet) Sort() {
	slices.SortStableFunc(s.Rows, func(a, b Row) int {
		return cmp.Or(boolean(a.Decided())-boolean(b.Decided()), cmp.Compare(b.Weight, a.Weight),
			strings.Compare(a.Old, b.Old))
	})
}

// Accept decides for what is proposed with at least a confidence, and returns how many rows.
func (s *Sheet) Accept(least float64) int {
	n := 0
	for i := range s.Rows {
		var is float64
		r := &s.Rows[i]
		if _, err := fmt.Sscan(r.Confidence, &is); err == nil && !r.Decided() && r.New != "" &&
			is >= least-1e-9 {
			r.Decision = Yes
			n++
		}
	}
	return n
}

// Like gives the undecided rows that are like one, itself among them: of the same old section, and
// where something is proposed, with a proposal in the same new section.
func (s *Sheet) Like(at int) []int {
	from, to := folderOf(s.Rows[at].Old), folderOf(s.Rows[at].New)
	var all []int
	for i, r := range s.Rows {
		if i == at || !r.Decided() && folderOf(r.Old) == from && folderOf(r.New) == to &&
			(r.New == "") == (s.Rows[at].New == "") {
			all = append(all, i)
		}
	}
	return all
}

// folderOf gives host and first folder of an address, or the folder of a path.
func folderOf(address string) string {
	host, path := "", address
	if strings.Contains(address, "://") {
		host, path = placeOf(address)
	}
	path, _, _ = strings.Cut(strings.TrimPrefix(path, "/"), "?")
	if folder, _, deeper := strings.Cut(path, "/"); deeper {
		return host + "/" + folder
	}
	return host + "/"
}
