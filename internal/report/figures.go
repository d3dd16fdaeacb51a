package report

import (
	"cmp"
	"fmt"
	"slices"
	"strings"
	"time"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/web"
	"upperpath.example/upperpath/internal/core/wording"
	"upperpath.example/upperpath/internal/doc"
	"upperpath.example/upperpath/internal/words"
)

// figureNames are the figures, in their order on a page.
var figureNames = []string{"doors", "hops", "chains", "dates"}

// Figures names the figures that can be drawn.
func Figures() []string { return slices.Clone(figureNames) }

// DrawFigure draws one figure alone, as SVG or PNG. The error is of the drawing; ok is false where
// there is nothing to draw.
func DrawFigure(c ForClient, name, format string) (data []byte, ok bool, err error) {
	for _, f := range drawAll(doc.Scrubbed(c)) {
		if f.name != name {
			continue
		}
		if format == "png" {
			data, err = f.drawing.PNG(2)
			return data, true, err
		}
		return []byte(f.drawing.SVG(true) + "\n"), true, nil
	}
	return nil, false, nil
}

// figure is a drawing with what it shows in words.
type figure struct {
	name    string
	drawing *doc.Drawing
	words   []doc.Text
	note    string
}

// drawAll draws the figures for which there is something to draw.
func drawAll(c ForClient) []figure {
	var all []figure
	for _, name := range figureNames {
		var f figure
		switch name {
		case "doors":
			f = doorFigure(c)
		case "hops":
			f = hopFigure(c)
		case "chains":
			f = chainFigure(c)
		case "dates":
			f = dateFigure(c)
		}
		if f.drawing != nil {
			f.name = name
			all = append(all, f)
		}
	}
	return all
}

// doorState is how a door is, in plain words.
type doorState struct {
	tone doc.Tone
	says string
}

func stateOf(d *doorSeen) doorState {
	switch {
	case d.unseen:
		return doorState{doc.Unseen, "not seen"}
	case d.severity.Rank() > finding.Note.Rank():
		return doorState{doc.ToneOf(d.severity), words.Code(d.codes[0]).Plain}
	case d.outcome == "the site":
		return doorState{doc.Good, "the site"}
	}
	return doorState{doc.Good, "arrives"}
}

// plannedState is how a door will be, as the plan predicts.
func (c ForClient) after(d web.Door) (doorState, bool) {
	if c.After != nil {
		var l doorList
		for _, ch := range c.After.Chains {
			if ch.Entry.Door() == d && ch.Probe != chain.WellKnown && ch.Probe != chain.Robots {
				ch.Findings = onTheWay(ch.Findings)
				l.add(ch)
			}
		}
		if len(l.all) == 0 {
			return doorState{}, false
		}
		return stateOf(l.all[0]), true
	}
	if c.Plan == nil {
		return doorState{}, false
	}
	for _, p := range c.Plan.Doors {
		if p.Door != d {
			continue
		}
		last := p.Chain[len(p.Chain)-1]
		switch {
		case last.Refusal != "":
			return doorState{doc.Failed, "no answer"}, true
		case len(p.Chain) == 1 && p.Carrier == "site":
			return doorState{doc.Good, "the site"}, true
		case last.URL != p.LeadsTo.String():
			return doorState{doc.Failed, "wrong page"}, true
		}
		return doorState{doc.Good, "arrives"}, true
	}
	return doorState{}, false
}

// onTheWay leaves out what is said of the page on which visitors arrive: they were led there.
func onTheWay(all []finding.Finding) []finding.Finding {
	return slices.DeleteFunc(slices.Clone(all), func(f finding.Finding) bool {
		return f.Code.Row().About == "content"
	})
}

// doorsOf gives the doors of an audit, a pair a host.
func doorsOf(a *chain.Audit) doorList {
	var l doorList
	for _, c := range a.Chains {
		if c.Probe == chain.WellKnown || c.Probe == chain.Robots {
			continue // no visitor comes by these
		}
		c.Findings = onTheWay(c.Findings)
		l.add(c)
	}
	return l
}

// mostFigureRows is how many rows a figure has at most.
const mostFigureRows = 40

// doorFigure is the grid of doors, today and after the plan.
func doorFigure(c ForClient) figure {
	l := doorsOf(c.Today)
	var hosts []web.Host
	for _, d := range l.all {
		if !slices.Contains(hosts, d.door.Host) {
			hosts = append(hosts, d.door.Host)
		}
	}
	if len(hosts) == 0 {
		return figure{}
	}
	shown := hosts[:min(len(hosts), mostFigureRows)]
	const left, cell, row, top = 250, 212, 30, 46
	d := &doc.Drawing{Title: fmt.Sprintf("Every door %s and %s", wording.LowerFirst(c.todayWord()),
		wording.LowerFirst(c.afterWord())), W: left + 4*cell + 20, H: top + float32(len(shown))*row + 14}
	withAfter := false
	for _, h := range shown {
		if _, ok := c.after(web.Door{Scheme: web.HTTP, Host: h}); ok {
			withAfter = true
		}
	}
	heads := []string{c.todayWord() + ", http", c.todayWord() + ", https"}
	if withAfter {
		heads = append(heads, c.afterWord()+", http", c.afterWord()+", https")
	} else {
		d.W = left + 2*cell + 20
	}
	for i, h := range heads {
		d.Shout(left+float32(i)*cell+8, 30, 13, doc.InkSoft, "start", h)
	}
	for r, h := range shown {
		y := top + float32(r)*row
		d.Say(8, y+20, 14, doc.InkText, "start", wording.Cut(h.Unicode(), 32))
		for i, scheme := range []web.Scheme{web.HTTP, web.HTTPS} {
			door := web.Door{Scheme: scheme, Host: h}
			if seen := l.byDoor[door]; seen != nil {
				drawCell(d, left+float32(i)*cell, y, cell, row, stateOf(seen))
			}
			if state, ok := c.after(door); ok {
				drawCell(d, left+float32(i+2)*cell, y, cell, row, state)
			}
		}
	}
	f := figure{drawing: d, words: doorWords(c, &l, shown)}
	if more := len(hosts) - len(shown); more > 0 {
		f.note = fmt.Sprintf("and %s", wording.Count(more, "more host"))
	}
	return f
}

// doorWords says the grid of doors in words, a host a line.
func doorWords(c ForClient, l *doorList, hosts []web.Host) []doc.Text {
	var all []doc.Text
	for _, h := range hosts {
		var parts []string
		for _, scheme := range []web.Scheme{web.HTTP, web.HTTPS} {
			door := web.Door{Scheme: scheme, Host: h}
			if seen := l.byDoor[door]; seen != nil {
				says := string(scheme) + " " + stateOf(seen).says
				if then, ok := c.after(door); ok && then.says != stateOf(seen).says {
					says += " (" + wording.LowerFirst(c.afterWord()) + " " + then.says + ")"
				}
				parts = append(parts, says)
			}
		}
		all = append(all, doc.Phrasef("%s: %s.", h.Unicode(), strings.Join(parts, ", ")))
	}
	return all
}

func drawCell(d *doc.Drawing, x, y, w, h float32, s doorState) {
	d.Box(x+3, y+3, w-6, h-6, doc.InkOf(s.tone).Tinted())
	d.Box(x+3, y+3, 4, h-6, doc.InkOf(s.tone))
	d.Sign(x+19, y+15, s.tone)
	d.Say(x+30, y+20, 13, doc.InkOf(s.tone), "start", wording.Cut(s.says, 28))
}

// hopFigure counts doors by how many redirects lead from them to their page.
func hopFigure(c ForClient) figure {
	today, after := map[string]int{}, map[string]int{}
	order := []string{"0", "1", "2", "3 or more", "never arrives"}
	bucket := func(hops int, arrives bool) string {
		switch {
		case !arrives:
			return order[4]
		case hops >= 3:
			return order[3]
		}
		return fmt.Sprint(hops)
	}
	for _, ch := range c.Today.Chains {
		if ch.Probe == chain.Root {
			today[bucket(ch.Redirects(), ch.End == chain.Page && ch.StoppedAt == nil)]++
		}
	}
	if c.After != nil {
		for _, ch := range c.After.Chains {
			if ch.Probe == chain.Root {
				after[bucket(ch.Redirects(), ch.End == chain.Page && ch.StoppedAt == nil)]++
			}
		}
	} else if c.Plan != nil {
		for _, p := range c.Plan.Doors {
			after[bucket(len(p.Chain)-1, p.Chain[len(p.Chain)-1].Refusal == "")]++
		}
	}
	most := 1
	for _, k := range order {
		most = max(most, today[k], after[k])
	}
	if len(today) == 0 {
		return figure{}
	}
	const left, row, long = 150, 46, 560
	d := &doc.Drawing{Title: "Redirects from a door to its page", W: left + long + 190,
		H: 40 + float32(len(order))*row}
	d.Shout(8, 24, 13, doc.InkSoft, "start", "redirects")
	var says []doc.Text
	for i, k := range order {
		y := 36 + float32(i)*row
		d.Say(8, y+22, 14, doc.InkText, "start", k)
		bar := func(at float32, n int, i doc.Ink, name string) {
			wide := long * float32(n) / float32(most)
			d.Box(left, at, max(2, wide), 15, i)
			d.Say(left+max(2, wide)+8, at+13, 13, doc.InkText, "start",
				fmt.Sprintf("%s: %s", name, wording.Count(n, "door")))
		}
		bar(y+2, today[k], doc.InkSoft, c.todayWord())
		if len(after) > 0 {
			bar(y+20, after[k], doc.InkGood, c.afterWord())
			says = append(says,
				doc.Phrasef("%s: %d %s, %d %s.", k, today[k], wording.LowerFirst(c.todayWord()), after[k],
					wording.LowerFirst(c.afterWord())))
		}
	}
	return figure{drawing: d, words: says}
}

// mostStations is how many chains are drawn.
const mostStations = 10

// chainFigure draws the ways of visitors that go wrong today, hosts as stations.
func chainFigure(c ForClient) figure {
	var shown []chain.Chain
	seen := map[string]bool{}
	for _, ch := range c.Today.Chains {
		if ch.Probe != chain.Root || len(ch.Findings) == 0 ||
			finding.Worst(ch.Findings) != finding.Error ||
			len(shown) == mostStations {
			continue
		}
		key := ch.Findings[0].Code.String() + ch.Findings[0].Subject
		if !seen[key] {
			seen[key] = true
			shown = append(shown, ch)
		}
	}
	if len(shown) == 0 {
		return figure{}
	}
	const row, step, left = 92, 236, 40
	longest := 1
	for _, ch := range shown {
		longest = max(longest, min(len(ch.Hops), 4))
	}
	d := &doc.Drawing{
		Title: "What visitors meet on the way",
		W:     left + float32(longest)*step + 130,
		H:     float32(len(shown))*row + 8,
	}
	var says []doc.Text
	for r, ch := range shown {
		drawWay(d, ch, left, float32(r)*row+34, step)
		f := ch.Findings[0]
		says = append(says, doc.Phrasef("%s: %s.", ch.Entry, words.Code(f.Code).Plain))
	}
	return figure{drawing: d, words: says}
}

func drawWay(d *doc.Drawing, ch chain.Chain, left, y, step float32) {
	hops := ch.Hops
	skipped := 0
	if len(hops) > 4 {
		skipped = len(hops) - 4
		hops = slices.Concat(hops[:3], hops[len(hops)-1:])
	}
	for i, h := range hops {
		x := left + float32(i)*step
		last := i == len(hops)-1
		tone := hopTone(ch, i+skippedAt(i, skipped))
		if tone == doc.Good && !last {
			tone = doc.Plain
		}
		if !last {
			d.Line(doc.InkSoft, 3, [2]float32{x + 14, y}, [2]float32{x + step - 14, y})
			d.Polygon(doc.InkSoft, [2]float32{x + step - 14, y - 5}, [2]float32{x + step - 5, y},
				[2]float32{x + step - 14, y + 5})
			d.Say(x+step/2, y-8, 12, doc.InkSoft, "middle", statusText(h))
		}
		drawStation(d, x, y, tone)
		if h.URL.Scheme() == web.HTTPS {
			drawLock(d, x, y, ch.StoppedAt != nil && *ch.StoppedAt == i+skippedAt(i, skipped))
		}
		d.Say(x-12, y+28, 13, doc.InkText, "start", wording.Cut(h.URL.Host().Unicode(), 30))
		d.Say(x-12, y+44, 12, doc.InkSoft, "start",
			wording.Cut(string(h.URL.Scheme())+" "+h.URL.Path(), 30))
	}
	x := left + float32(len(hops)-1)*step
	f := ch.Findings[0]
	if ch.End == chain.Loop || ch.End == chain.Limit {
		d.Line(doc.InkFail, 3, [2]float32{x, y - 12}, [2]float32{x, y - 24}, [2]float32{left, y - 24},
			[2]float32{left, y - 12})
		d.Polygon(doc.InkFail, [2]float32{left - 5, y - 17}, [2]float32{left + 5, y - 17},
			[2]float32{left, y - 9})
	}
	tone := doc.ToneOf(finding.Worst(ch.Findings))
	d.Sign(x+26, y, tone)
	d.Shout(x+38, y+5, 13, doc.InkOf(tone), "start", words.Code(f.Code).Plain)
}

func skippedAt(i, skipped int) int {
	if i == 3 {
		return skipped
	}
	return 0
}

func drawStation(d *doc.Drawing, x, y float32, t doc.Tone) {
	octagon := func(r float32, i doc.Ink) {
		k := r * 0.414
		d.Polygon(i, [2]float32{x - k, y - r}, [2]float32{x + k, y - r}, [2]float32{x + r, y - k},
			[2]float32{x + r, y + k},
			[2]float32{x + k, y + r}, [2]float32{x - k, y + r}, [2]float32{x - r, y + k},
			[2]float32{x - r, y - k})
	}
	octagon(12, doc.InkOf(t))
	octagon(9, doc.InkOf(t).Tinted())
}

// drawLock draws a padlock in a station; where a warning stops visitors it is open and crossed.
func drawLock(d *doc.Drawing, x, y float32, broken bool) {
	i := doc.InkGood
	if broken {
		i = doc.InkFail
	}
	d.Box(x-4, y-1, 8, 6, i)
	if !broken {
		d.Line(
			i,
			1.6,
			[2]float32{x - 2.6, y - 1},
			[2]float32{x - 2.6, y - 5},
			[2]float32{x + 2.6, y - 5},
			[2]float32{x + 2.6, y - 1},
		)
		return
	}
	d.Line(i, 1.6, [2]float32{x - 2.6, y - 2}, [2]float32{x - 2.6, y - 6}, [2]float32{x + 2.6, y - 6})
	d.Line(i, 2, [2]float32{x - 7, y + 8}, [2]float32{x + 7, y - 8})
}

// dated is something that ends.
type dated struct {
	at    time.Time
	what  string
	about string
	tone  doc.Tone
}

// datesOf gives the ends of certificates and registrations that were seen, the earliest first.
func (c ForClient) datesOf() []dated {
	var all []dated
	tone := func(at time.Time, soon time.Duration) doc.Tone {
		switch left := at.Sub(c.Made); {
		case left < 0:
			return doc.Failed
		case left < soon:
			return doc.Warned
		}
		return doc.Good
	}
	held := map[string]bool{}
	for _, ch := range c.Today.Chains {
		for _, h := range ch.Hops {
			if h.TLS == nil || h.TLS.NotAfter.IsZero() || ch.Probe != chain.Root ||
				h.URL.Host() != ch.Entry.Host() {
				continue
			}
			key := fmt.Sprint(h.TLS.Names, h.TLS.NotAfter)
			if !held[key] && len(h.TLS.Names) > 0 {
				held[key] = true
				all = append(
					all,
					dated{h.TLS.NotAfter, "certificate", h.URL.Host().Unicode(),
						tone(h.TLS.NotAfter, 21*24*time.Hour)},
				)
			}
		}
	}
	if c.Survey != nil {
		for _, d := range c.Survey.Domains {
			if r := d.Registration; r != nil && r.Ends != nil {
				all = append(all,
					dated{*r.Ends, "registration", unicodeName(d.Name), tone(*r.Ends, 60*24*time.Hour)})
			}
		}
	}
	slices.SortStableFunc(all, func(a, b dated) int {
		return cmp.Or(a.at.Compare(b.at), cmp.Compare(a.about, b.about))
	})
	return all
}

// dateFigure is a line of time with the ends of certificates and registrations.
func dateFigure(c ForClient) figure {
	all := c.datesOf()
	if len(all) == 0 {
		return figure{}
	}
	shown := all[:min(len(all), mostFigureRows)]
	const left, long, row, top = 330, 560, 26, 44
	from, to := c.Made.AddDate(0, -3, 0), c.Made.AddDate(1, 1, 0)
	at := func(t time.Time) float32 {
		part := float32(t.Sub(from)) / float32(to.Sub(from))
		return left + long*min(1, max(0, part))
	}
	d := &doc.Drawing{
		Title: "When certificates and registrations end",
		W:     left + long + 130,
		H:     top + float32(len(shown))*row + 12,
	}
	for m := time.Date(from.Year(), from.Month()+1, 1, 0, 0, 0, 0,
		time.UTC); m.Before(to); m = m.AddDate(0, 1, 0) {
		d.Line(doc.InkLine, 1, [2]float32{at(m), top - 8}, [2]float32{at(m), d.H - 8})
		if m.Month()%3 == 1 && (at(m) < at(c.Made)-60 || at(m) > at(c.Made)+60) {
			d.Say(at(m), 26, 12, doc.InkSoft, "middle", m.Format("Jan 2006"))
		}
	}
	d.Line(doc.InkText, 1.5, [2]float32{at(c.Made), top - 12}, [2]float32{at(c.Made), d.H - 8})
	d.Shout(at(c.Made), 26, 12, doc.InkText, "middle", "today")
	var says []doc.Text
	for r, one := range shown {
		says = append(says,
			doc.Phrasef("%s of %s: %s.", one.what, one.about, dayOf(one.at).Format("2 January 2006")))
		y := top + float32(r)*row
		x := at(one.at)
		d.Say(8, y+14, 13, doc.InkText, "start", wording.Cut(one.about, 34))
		d.Say(left-8, y+14, 12, doc.InkSoft, "end", one.what)
		d.Line(doc.InkOf(one.tone), 3, [2]float32{min(x, at(c.Made)), y + 10},
			[2]float32{max(x, at(c.Made)), y + 10})
		d.Polygon(
			doc.InkOf(one.tone),
			[2]float32{x, y + 3},
			[2]float32{x + 7, y + 10},
			[2]float32{x, y + 17},
			[2]float32{x - 7, y + 10},
		)
		if one.at.Before(c.Made) {
			d.Say(x-12, y+14, 12, doc.InkOf(one.tone), "end", dayOf(one.at).Format("2 Jan 2006"))
			continue
		}
		d.Say(x+12, y+14, 12, doc.InkOf(one.tone), "start", dayOf(one.at).Format("2 Jan 2006"))
	}
	f := figure{drawing: d, words: says}
	if more := len(all) - len(shown); more > 0 {
		f.note = fmt.Sprintf("and %d more, later", more)
	}
	return f
}
