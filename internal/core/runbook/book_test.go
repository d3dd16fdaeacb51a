package runbook

import (
	"context"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"upperpath.example/upperpath/internal/core/expect"
	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/record"
	"upperpath.example/upperpath/internal/core/world"
)

var start = time.Date(2026, 11, 1, 9, 0, 0, 0, time.UTC)

// answers answers from maps; what is in none of them is not seen.
type answers struct {
	sets    map[string]*record.Set // by server, name and type
	servers map[string][]string
	signed  map[string]bool
	doors   map[string]string // by URL and address: what is wrong, "" for nothing
}

func (w *answers) Ask(_ context.Context, e expect.Expectation, at *expect.Place) expect.Answer {
	silent := expect.Answer{Unseen: "it does not answer"}
	switch {
	case e.AtDoor():
		key := strings.TrimSpace(e.URL + " " + e.Address)
		switch wrong, seen := w.doors[key]; {
		case !seen:
			return silent
		case wrong != "":
			return expect.Answer{
				Findings: []finding.Finding{finding.New(finding.WrongPage, key, fact.Kept{Says: wrong})}}
		}
		return expect.Answer{Met: "200"}
	case e.Kind == expect.NoDS:
		switch signed, seen := w.signed[e.Name]; {
		case !seen:
			return silent
		case signed:
			return expect.Answer{Values: []string{"a DS record"}}
		}
		return expect.Answer{}
	case e.Kind == expect.Delegation:
		servers, seen := w.servers[e.Name]
		if !seen {
			return silent
		}
		return expect.Answer{Values: servers}
	}
	kind := e.Type
	if e.Kind == expect.Zone {
		kind = "SOA"
	}
	switch s, seen := w.sets[at.Host+" "+e.Name+" "+kind]; {
	case !seen:
		return silent
	case s == nil:
		return expect.Answer{}
	default:
		return expect.Answer{Values: s.Values, TTL: s.TTL}
	}
}

func set(ttl int, values ...string) *record.Set { return &record.Set{TTL: ttl, Values: values} }

func book() *Book {
	return New("https://www.n.example", "", []Task{
		{
			Key: "lower",
			Expects: []expect.Expectation{
				{Kind: expect.TTLAtMost, Name: "old.example", Type: "A", Server: "ns", TTL: 300}},
			Wait: 4 * 3600,
		},
		{Key: "claim"},
		{Key: "change", After: []int{1, 2},
			Expects: []expect.Expectation{
				{Kind: expect.Records, Name: "old.example", Type: "A", Server: "ns",
					Values: []string{"203.0.113.20"}}}},
		{Key: "wait", After: []int{3}, Wait: 900, Idle: true},
		{
			Key:   "audit",
			After: []int{4},
			Expects: []expect.Expectation{
				{Kind: expect.Door, URL: "https://old.example/", Values: []string{"https://www.n.example/"}}},
		},
		{Key: "raise", After: []int{5}, Delay: 24 * 3600,
			Expects: []expect.Expectation{{Kind: expect.TTLAtLeast, Name: "old.example", Type: "A",
				Server: "ns", TTL: 3600}}},
	}, start)
}

func TestTimesByTheClock(t *testing.T) {
	b := book()
	times := b.Times()
	assert.Equal(t, start.Add(4*time.Hour), times[0].Until)
	assert.Equal(t, start, times[1].From)
	assert.Equal(t, start.Add(4*time.Hour), times[2].From, "lowered TTLs are waited for")
	assert.Equal(t, start.Add(4*time.Hour+15*time.Minute), times[3].Until)
	assert.Equal(t, start.Add(28*time.Hour+15*time.Minute), times[5].From)
	assert.False(t, times[2].Sure)
	require.NoError(t, b.Mark(1, start.Add(time.Hour)))
	require.NoError(t, b.Mark(2, start.Add(time.Hour)))
	times = b.Times()
	assert.Equal(t, start.Add(5*time.Hour), times[2].From, "counted from when it was done")
	assert.True(t, times[2].Sure)
}

// TestARunbookIsWorkedThrough plays a runbook from its beginning to its end.
func TestARunbookIsWorkedThrough(t *testing.T) {
	b := book()
	w := &answers{sets: map[string]*record.Set{"ns old.example A": set(3600, "192.0.2.1")},
		doors: map[string]string{}}
	proceed := func(at time.Time) Progress {
		t.Helper()
		p, err := b.Proceed(t.Context(), w, at)
		require.NoError(t, err)
		return p
	}
	p := proceed(start)
	assert.Equal(t, "lower", p.Open.Key)
	assert.Equal(t,
		"the TTL of old.example A is 1 hour at ns, and should be at most 5 minutes\n", said(p.Missing))
	assert.Empty(t, p.Done)

	w.sets["ns old.example A"] = set(300, "192.0.2.1")
	p = proceed(start)
	assert.Equal(t, []int{1}, p.Done)
	assert.Equal(t, "claim", p.Open.Key, "nobody can see it: it is not passed over")
	assert.Empty(t, p.Missing)
	require.NoError(t, b.Mark(2, start))
	assert.True(t, b.Tasks[1].ByHand)

	p = proceed(start.Add(time.Hour))
	assert.Equal(t, []Waiting{{3, start.Add(4 * time.Hour)}}, p.Waiting)
	assert.Nil(t, p.Open)
	assert.Equal(t, "change", b.Next().Key)

	p = proceed(start.Add(5 * time.Hour))
	assert.Equal(t, "old.example A is 192.0.2.1 at ns, and should be 203.0.113.20\n", said(p.Missing))
	delete(w.sets, "ns old.example A")
	p = proceed(start.Add(5 * time.Hour))
	assert.Empty(t, p.Missing)
	assert.Equal(t, "ns did not answer about old.example A: it does not answer\n", said(p.Unseen))
	w.sets["ns old.example A"] = set(300, "203.0.113.20")
	p = proceed(start.Add(5 * time.Hour))
	assert.Equal(t, []int{3}, p.Done)
	assert.Equal(t, []Waiting{{4, start.Add(5*time.Hour + 15*time.Minute)}}, p.Waiting)

	p = proceed(start.Add(6 * time.Hour))
	assert.Equal(t, []int{4}, p.Done)
	assert.Equal(t, "https://old.example/ was not seen: it does not answer\n", said(p.Unseen))
	w.doors["https://old.example/"] = "It arrives elsewhere."
	assert.Equal(t, "https://old.example/: It arrives elsewhere.\n",
		said(proceed(start.Add(6*time.Hour)).Missing))
	w.doors["https://old.example/"] = ""
	p = proceed(start.Add(6 * time.Hour))
	assert.Equal(t, []int{5}, p.Done)
	assert.Equal(t, []Waiting{{6, start.Add(30 * time.Hour)}}, p.Waiting)
	w.sets["ns old.example A"] = set(3600, "203.0.113.20")
	assert.Equal(t, []int{6}, proceed(start.Add(31*time.Hour)).Done)
	assert.Equal(t, len(b.Tasks), b.DoneCount())
	assert.Nil(t, b.Next())
	assert.NoError(t, b.Check())
}

func TestStepsAreMarkedAndUnmarked(t *testing.T) {
	b := book()
	assert.ErrorIs(t, b.Mark(9, start), ErrNoTask)
	assert.ErrorIs(t, b.Unmark(0), ErrNoTask)
	assert.ErrorIs(t, b.Unmark(1), ErrNotDone)
	require.NoError(t, b.Mark(1, start))
	require.NoError(t, b.Mark(1, start.Add(time.Hour)))
	assert.Equal(t, start, b.Tasks[0].Done, "done stays done")
	require.NoError(t, b.Unmark(1))
	assert.False(t, b.Tasks[0].IsDone())
	require.NoError(t, b.Mark(3, start))
	other := New("", "", []Task{{Key: "x"}, {Key: "change"}}, start)
	assert.Equal(t, Adopted{Done: 1}, other.Adopt(b))
	assert.True(t, other.Tasks[1].IsDone())
}

// TestWhatIsExpected has each kind of look where it holds, where it does not, and where nobody
// answers.
func TestWhatIsExpected(t *testing.T) {
	w := &answers{
		sets: map[string]*record.Set{
			"ns a.example A":     set(60, "203.0.113.1"),
			"ns gone.example A":  nil,
			"ns a.example SOA":   set(60, "x"),
			"lame a.example SOA": nil,
		},
		servers: map[string][]string{"a.example": {"ns1.x", "ns2.x"}, "new.example": nil},
		signed:  map[string]bool{"a.example": true, "b.example": false},
		doors: map[string]string{"http://a.example/ 203.0.113.9": "",
			"http://b.example/ 203.0.113.9": "It loops."},
	}
	door := func(u, at string) expect.Expectation {
		return expect.Expectation{Kind: expect.Door, URL: u, Address: at,
			Values: []string{"https://www.n.example/"}}
	}
	for _, c := range []struct {
		expect          expect.Expectation
		missing, unseen string
	}{
		{expect.Expectation{Kind: expect.Records, Name: "gone.example", Type: "A", Server: "ns"}, "", ""},
		{expect.Expectation{Kind: expect.Records, Name: "a.example", Type: "A", Server: "ns"},
			"a.example still has A records at ns: 203.0.113.1", ""},
		{expect.Expectation{Kind: expect.Records, Name: "gone.example", Type: "A", Server: "ns",
			Values: []string{"1"}},
			"gone.example has no A record at ns yet, and should have 1", ""},
		{expect.Expectation{Kind: expect.Records, Name: "a.example", Type: "A", Server: "ns", Alias: true,
			Values: []string{"x"}}, "", ""},
		{expect.Expectation{Kind: expect.Records, Name: "gone.example", Type: "A", Server: "ns",
			Alias: true, Values: []string{"x"}},
			"gone.example has no A record at ns yet", ""},
		{
			expect.Expectation{Kind: expect.Records, Name: "a.example", Type: "A", Server: "ns", Alias: true,
				Values: []string{"x"},
				Not:    []string{"203.0.113.1"}},
			"a.example still has A records at ns: 203.0.113.1", "",
		},
		{expect.Expectation{Kind: expect.TTLAtMost, Name: "gone.example", Type: "A", Server: "ns",
			TTL: 1},
			"gone.example has no A record at ns", ""},
		{expect.Expectation{Kind: expect.TTLAtMost, Name: "a.example", Type: "A", Server: "no", TTL: 1},
			"",
			"no did not answer about a.example A"},
		{expect.Expectation{Kind: expect.Zone, Name: "a.example", Server: "ns"}, "", ""},
		{expect.Expectation{Kind: expect.Zone, Name: "a.example", Server: "lame"},
			"lame does not serve the zone a.example", ""},
		{expect.Expectation{Kind: expect.Zone, Name: "a.example", Server: "no"}, "",
			"no did not answer for a.example"},
		{expect.Expectation{Kind: expect.Delegation, Name: "a.example",
			Values: []string{"ns2.x", "ns1.x"}}, "", ""},
		{expect.Expectation{Kind: expect.Delegation, Name: "new.example", Values: []string{"ns1.x"}},
			"names none as the name servers of new.example", ""},
		{expect.Expectation{Kind: expect.Delegation, Name: "c.example", Values: []string{"ns1.x"}}, "",
			"the parent zone of c.example was not seen"},
		{expect.Expectation{Kind: expect.NoDS, Name: "a.example"},
			"the parent zone still has a DS record for a.example", ""},
		{expect.Expectation{Kind: expect.NoDS, Name: "b.example"}, "", ""},
		{expect.Expectation{Kind: expect.NoDS, Name: "c.example"}, "",
			"the parent zone of c.example was not seen"},
		{door("http://a.example/", "203.0.113.9"), "", ""},
		{door("http://b.example/", "203.0.113.9"), "http://b.example/ at 203.0.113.9: It loops.", ""},
		{door("http://c.example/", ""), "", "http://c.example/ was not seen"},
		{door("::", ""), "", ":: was not seen"},
	} {
		missing, unseen := Look(t.Context(), w, []expect.Expectation{c.expect})
		assert.Contains(t, said(missing), c.missing, "%v", c.expect)
		assert.Contains(t, said(unseen), c.unseen, "%v", c.expect)
		assert.Equal(t, c.missing == "", len(missing) == 0, "%v: %v", c.expect, missing)
		assert.Equal(t, c.unseen == "", len(unseen) == 0, "%v: %v", c.expect, unseen)
	}
}

func TestAKeptRunbookIsChecked(t *testing.T) {
	for _, wrong := range []func(*Book){
		func(b *Book) { b.Schema = "x" },
		func(b *Book) { b.Tasks[2].After = []int{3} },
		func(b *Book) { b.Tasks[2].After = []int{0} },
		func(b *Book) { b.Tasks[1].Number = 7 },
		func(b *Book) { b.Tasks[4].Expects[0].Values = nil },
		func(b *Book) { b.Tasks[0].Expects[0].Kind = "nothing-of-the-kind" },
		func(b *Book) { b.Tasks[0].Expects[0].Kind = "" },
		func(b *Book) { b.Tasks[0].Expects[0].Kind = expect.NoDifference },
	} {
		b := book()
		require.NoError(t, b.Check())
		wrong(b)
		assert.Error(t, b.Check())
	}
}

func TestAnEndedContextMarksNothingMore(t *testing.T) {
	ctx, cancel := context.WithCancel(t.Context())
	cancel()
	b := book()
	_, err := b.Proceed(ctx, &answers{}, start)
	assert.ErrorIs(t, err, context.Canceled)
	assert.Zero(t, b.DoneCount())
}

func TestWhatACopyFoundIsTakenOver(t *testing.T) {
	b, copied := book(), book()
	require.NoError(t, copied.Mark(1, start))
	require.NoError(t, copied.Mark(3, start.Add(time.Hour)))
	require.NoError(t, b.Mark(3, start))
	b.TakeDone(copied, []int{1, 3, 99})
	assert.True(t, b.Tasks[0].IsDone(), "the first step too")
	assert.False(t, b.Tasks[1].IsDone())
	assert.Equal(t, start, b.Tasks[2].Done, "what was marked here already stays")
}

func TestTheLongestRunbook(t *testing.T) {
	b := New("https://www.n.example", "", make([]Task, mostTasks), start)
	assert.NoError(t, b.Check())
	b.Tasks = append(b.Tasks, Task{Number: mostTasks + 1})
	assert.ErrorContains(t, b.Check(), "200001 steps")
}

func said(all []fact.Sentence) string {
	text := ""
	for _, s := range all {
		text += s.String() + "\n"
	}
	return text
}

// TestARunbookMadeAnewKeepsWhatWasDone has a step done whose like the new plan has no need of: it
// stays, and what waited for it waits on.
func TestARunbookMadeAnewKeepsWhatWasDone(t *testing.T) {
	former := New("https://www.n.example", "", []Task{
		{Key: "lower|here|old.example", Wait: 86400},
		{Key: "claim|plat|old.example"},
		{Key: "changes|here|old.example", After: []int{1, 2}},
	}, start)
	require.NoError(t, former.Mark(1, start))
	fresh := New("https://www.n.example", "", []Task{
		{Key: "claim|plat|old.example"},
		{Key: "changes|here|old.example two.example", After: []int{1}},
		{Key: "audit||", After: []int{2}},
	}, start.Add(time.Hour))
	assert.Equal(t, Adopted{Kept: []int{1}}, fresh.Adopt(former))
	require.NoError(t, fresh.Check())
	require.Len(t, fresh.Tasks, 4)
	assert.True(t, fresh.Tasks[0].IsDone())
	assert.Equal(t, []int{1, 2}, fresh.Tasks[2].After)
	assert.Equal(t, []int{3}, fresh.Tasks[3].After)
	assert.Equal(t, start.Add(24*time.Hour), fresh.Times()[2].From)
	waits := New("https://www.n.example", "", []Task{{Key: "outlast||", Idle: true, Wait: 3600}},
		start.Add(time.Hour))
	waits.StartAt(start)
	assert.Equal(t, start.Add(2*time.Hour), waits.Times()[0].Until, "not an hour earlier")
	again := New("https://www.n.example", "", slices.Clone(fresh.Tasks[1:]), start)
	for i := range again.Tasks {
		again.Tasks[i].After = nil
	}
	assert.Equal(t, []int{1}, again.Adopt(fresh).Kept, "nor is it lost the next time")
}

// TestAStepIsAdoptedForWhatIsTyped has steps done before whose rows, or what they mean, are the
// same, fewer, more, or others.
func TestAStepIsAdoptedForWhatIsTyped(t *testing.T) {
	row := func(value string) world.Row {
		return world.Row{Place: "here", Do: world.Add, Zone: "old.example", Label: "@", Type: "A",
			Value: value, TTL: 300}
	}
	config := world.Row{Place: "gw", Do: world.Add, Kind: world.Config}
	former := func() *Book {
		b := New("https://www.n.example", "", []Task{
			{Key: "changes|here|old.example", Typed: []world.Row{row("192.0.2.1"), row("192.0.2.2")}},
			{Key: "redirects|gw|", Typed: []world.Row{config}, Means: "a"},
			{Key: "audit||", After: []int{1, 2}},
		}, start)
		for n := range b.Tasks {
			require.NoError(t, b.Mark(n+1, start.Add(time.Duration(n)*time.Hour)))
		}
		return b
	}
	adopt := func(tasks ...Task) (Adopted, *Book) {
		b := New("https://www.n.example", "", tasks, start)
		made := b.Adopt(former())
		require.NoError(t, b.Check())
		return made, b
	}
	changes := func(rows ...world.Row) Task {
		return Task{Key: "changes|here|old.example", Typed: rows}
	}
	redirects := func(means string) Task {
		return Task{Key: "redirects|gw|", Typed: []world.Row{config}, Means: means}
	}
	audit := Task{Key: "audit||", After: []int{1, 2}}

	made, b := adopt(changes(row("192.0.2.1"), row("192.0.2.2")), redirects("a"), audit)
	assert.Equal(t, Adopted{Done: 3}, made)
	assert.Equal(t, start.Add(time.Hour), b.Tasks[1].Done, "with its time")
	made, _ = adopt(changes(row("192.0.2.1")), redirects("a"), audit)
	assert.Equal(t, 3, made.Done, "all that is typed was typed")
	assert.Equal(t, []int{1}, made.Kept, "and more, which stays in the book")
	made, b = adopt(changes(row("192.0.2.1"), row("192.0.2.3")), redirects("a"), audit)
	assert.Equal(t, []int{2, 4}, made.Again, "a row came, so the audit is open again too")
	assert.False(t, b.Tasks[1].IsDone())
	assert.True(t, b.Tasks[0].IsDone(), "what was typed stays in the book")
	made, b = adopt(changes(row("192.0.2.1"), row("192.0.2.2")), redirects("b"), audit)
	assert.Equal(t, Adopted{Done: 1, Again: []int{2, 3}}, made, "the rules have changed since")
	assert.False(t, b.Tasks[1].IsDone())
	made, _ = adopt(changes(row("192.0.2.9")), redirects("a"), audit)
	assert.Equal(t, 1, made.Done, "other rows are another step, and the audit waits for it")
}

// TestAClockThatIsAheadHoldsNobodyUp: two people mark steps of one book, and their clocks differ.
func TestAClockThatIsAheadHoldsNobodyUp(t *testing.T) {
	b := New("https://www.example", "", []Task{{}, {After: []int{1}, Wait: 60}, {After: []int{2}}},
		start)
	ahead := start.Add(3 * time.Second)
	require.NoError(t, b.Mark(1, ahead))
	all, err := b.Early([]int{2}, start)
	require.NoError(t, err)
	assert.Empty(t, all)
	p, err := b.Proceed(context.Background(), &answers{}, start)
	require.NoError(t, err)
	assert.Empty(t, p.Waiting)
	require.NotNil(t, p.Open)
	assert.Equal(t, 2, p.Open.Number)
	require.NoError(t, b.Mark(2, start))
	assert.Equal(t, ahead, b.Tasks[1].Done, "no step is done before the one that it comes after")
	all, err = b.Early([]int{3}, start.Add(62*time.Second))
	require.NoError(t, err)
	assert.Len(t, all, 1, "what is waited for is waited for in full")
}
