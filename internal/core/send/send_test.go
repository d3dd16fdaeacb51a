package send_test

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"math/rand/v2"
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"upperpath.example/upperpath/internal/core/estate"
	"upperpath.example/upperpath/internal/core/record"
	"upperpath.example/upperpath/internal/core/send"
	"upperpath.example/upperpath/internal/core/survey"
	"upperpath.example/upperpath/internal/core/web"
	"upperpath.example/upperpath/internal/core/world"
)

func set(name, kind string, ttl int, values ...string) *record.Set {
	return &record.Set{Name: name, Type: kind, TTL: ttl, Values: values}
}

func change(before, after *record.Set) record.Change {
	s, c := after, record.Change{Before: before, After: after, Action: record.Changed}
	switch {
	case after == nil:
		s, c.Action = before, record.Went
	case before == nil:
		c.Action = record.Came
	}
	c.Name, c.Type = s.Name, s.Type
	return c
}

// worldOf gives a world with one zone, as a survey saw it.
func worldOf(sets ...record.Set) *world.World {
	h := web.MustParseHost("old.example")
	e := &estate.Estate{Domains: []*estate.Domain{{Name: h}}}
	return world.New(world.Input{Estate: e, Survey: &survey.Survey{Domains: []survey.Domain{{
		Name: "old.example", Source: survey.File, Records: sets}}}})
}

func row(do world.Action, label, kind, was, value string, ttl int) world.Row {
	return world.Row{Place: "A", Do: do, Zone: "old.example", Label: label, Type: kind, Was: was,
		Value: value, TTL: ttl}
}

func TestWhatRowsChange(t *testing.T) {
	w := worldOf(*set("old.example", "A", 3600, "192.0.2.1", "192.0.2.2"),
		*set("www.old.example", "CNAME", 600, "old.example."))
	all, byHand := send.Of(w, []world.Row{
		row(world.Replace, "@", "A", "192.0.2.1", "203.0.113.20", 300),
		row(world.Remove, "@", "A", "192.0.2.2", "", 0),
		row(world.Remove, "www", "CNAME", "old.example", "", 0),
		row(world.Add, "www", "A", "", "203.0.113.20", 300),
		row(world.Add, "@", "TXT", "", "v=spf1 -all", 3600),
	})
	assert.Empty(t, byHand)
	require.Len(t, all, 1)
	assert.Equal(t, []record.Change{
		change(set("old.example", "A", 3600, "192.0.2.1", "192.0.2.2"),
			set("old.example", "A", 300, "203.0.113.20")),
		change(nil, set("old.example", "TXT", 3600, `"v=spf1 -all"`)),
		change(nil, set("www.old.example", "A", 300, "203.0.113.20")),
		change(set("www.old.example", "CNAME", 600, "old.example."), nil),
	}, all[0].Changes)
	assert.Equal(t, []send.Beside{{Name: "old.example"}}, all[0].Beside(),
		"no alias beside what comes; where one goes itself it is no matter")
	assert.Equal(t, all[0], all[0].Back().Back())
}

func TestWhatCannotBeSent(t *testing.T) {
	through := row(world.Add, "www", "A", "", "203.0.113.20", 300)
	through.Through = "edge"
	for name, r := range map[string]world.Row{
		"an entry":               {Place: "A", Do: world.Add, Kind: world.HostEntry},
		"an alias":               row(world.Add, "@", record.Alias, "", "sites.platform.example", 300),
		"through":                through,
		"a value that is none":   row(world.Add, "@", "A", "", "here", 300),
		"a name that is none":    row(world.Add, "a..b", "A", "", "192.0.2.1", 300),
		"what goes is not there": row(world.Replace, "@", "A", "192.0.2.9", "192.0.2.1", 300),
	} {
		_, byHand := send.Of(worldOf(*set("old.example", "A", 60, "192.0.2.2")), []world.Row{r})
		assert.NotEmpty(t, byHand, name)
	}
	h := web.MustParseHost("old.example")
	unseen := world.New(world.Input{Estate: &estate.Estate{Domains: []*estate.Domain{{Name: h}}}})
	_, byHand := send.Of(unseen, []world.Row{row(world.Add, "@", "A", "", "192.0.2.2", 60)})
	assert.Len(t, byHand, 1, "nobody has seen the zone")
	// what is so already changes nothing, and keeps nobody
	var all []send.Transfer
	all, byHand = send.Of(worldOf(*set("old.example", "A", 60, "192.0.2.2")), []world.Row{
		row(world.Add, "@", "A", "", "192.0.2.2", 60), row(world.Remove, "www", "A", "192.0.2.3", "", 0)})
	assert.Empty(t, byHand)
	assert.Empty(t, all)
}

func TestCompare(t *testing.T) {
	tr := send.Transfer{Zone: "old.example", Changes: []record.Change{
		change(set("old.example", "A", 3600, "192.0.2.1"), set("old.example", "A", 300, "192.0.2.2")),
		change(nil, set("new.old.example", "MX", 300, "10 mail.old.example.")),
		change(
			set("www.old.example", "A", 3600, "192.0.2.1"),
			set("www.old.example", "A", 300, "192.0.2.1"),
		),
		change(set("gone.old.example", "TXT", 60, `"x"`), nil),
	}}
	for name, c := range map[string]struct {
		sets                     []record.Set
		open, done, others, ttls int
	}{
		"as before": {[]record.Set{*set("OLD.example.", "A", 3600, "192.0.2.1"),
			*set("www.old.example", "A", 3600, "192.0.2.1"), *set("gone.old.example", "TXT", 60, `"x"`)},
			4, 0, 0, 0},
		"as planned": {[]record.Set{*set("old.example", "A", 300, "192.0.2.2"),
			*set("new.old.example", "MX", 300, "10 mail.old.example."),
			*set("www.old.example", "A", 300, "192.0.2.1")}, 0, 4, 0, 0},
		"with a least TTL": {[]record.Set{*set("old.example", "A", 600, "192.0.2.2"),
			*set("new.old.example", "MX", 600, "10 mail.old.example."),
			*set("www.old.example", "A", 600, "192.0.2.1")}, 1, 3, 0, 2},
		"somebody else": {[]record.Set{*set("old.example", "A", 300, "192.0.2.3"),
			*set("new.old.example", "MX", 300, "20 mail.old.example."),
			*set("www.old.example", "A", 300, "192.0.2.1", "192.0.2.2"),
			*set("gone.old.example", "TXT", 60, `"y"`)}, 0, 0, 4, 0},
		"nothing at all": {nil, 1, 1, 2, 0},
	} {
		s := tr.Compare(c.sets)
		assert.Equal(t, []int{c.open, c.done, c.others, c.ttls},
			[]int{len(s.Open), len(s.Done), len(s.Others), len(s.TTLs)}, name)
	}
}

// zone is a place in memory, with faults.
type zone struct {
	sets    map[record.Key]record.Set
	unread  int   // so many reads fail
	takes   int   // so many of the changes it takes; -1: all
	err     error // that it answers
	changed func()
}

func (z *zone) Read(_ context.Context, _ string, keys []record.Key) ([]record.Set, error) {
	if z.unread != 0 {
		z.unread--
		return nil, errors.New("it is silent")
	}
	var all []record.Set
	for _, k := range keys {
		if s, there := z.sets[k]; there {
			all = append(all, s)
		}
	}
	return all, nil
}

func (z *zone) Change(_ context.Context, t send.Transfer) (string, error) {
	for i, c := range t.Changes {
		if z.takes >= 0 && i >= z.takes {
			break
		}
		key := record.Key{Name: c.Name, Type: c.Type}
		if delete(z.sets, key); c.After != nil {
			z.sets[key] = *c.After
		}
	}
	if z.changed != nil {
		z.changed()
	}
	return "fine", z.err
}

// still is a clock that stands.
type still struct{ slept time.Duration }

func (*still) Now() time.Time                             { return time.Unix(1796092800, 0) }
func (s *still) Sleep(_ context.Context, d time.Duration) { s.slept += d }

func TestWhatCameOfIt(t *testing.T) {
	tr := send.Transfer{Zone: "old.example", Changes: []record.Change{
		change(set("old.example", "A", 60, "192.0.2.1"), set("old.example", "A", 300, "192.0.2.2")),
		change(nil, set("new.old.example", "A", 300, "192.0.2.2"))}}
	lost := errors.New("the connection ended")
	for name, c := range map[string]struct {
		takes   int
		err     error
		unread  func(z *zone)
		outcome send.Outcome
		others  int
	}{
		"it takes it":                  {-1, nil, nil, send.Sent, 0},
		"it says yes and does nothing": {0, nil, nil, send.NotTaken, 0},
		"it says yes and does half":    {1, nil, nil, send.Halfway, 1},
		"it refuses":                   {0, &send.Refused{Says: "no"}, nil, send.NotTaken, 0},
		"it refuses, and took it":      {-1, &send.Refused{Says: "no"}, nil, send.Sent, 0},
		"it had changed": {0, &send.Refused{Says: "no", Changed: true}, nil,
			send.Changed, 2},
		"the answer is lost":           {-1, lost, nil, send.Sent, 0},
		"the question is lost":         {0, lost, nil, send.NotTaken, 0},
		"it took half and died":        {1, lost, nil, send.Halfway, 1},
		"it dies":                      {-1, lost, func(z *zone) { z.unread = -1 }, send.Unknown, 0},
		"it says yes and dies":         {-1, nil, func(z *zone) { z.unread = -1 }, send.Unknown, 0},
		"it is silent for a moment":    {-1, lost, func(z *zone) { z.unread = 2 }, send.Sent, 0},
		"nothing came as far as there": {0, &send.NotSent{Why: "no way"}, nil, send.NotTaken, 0},
		"a fault, and another's change": {0, lost, func(z *zone) {
			z.sets[key("old.example")] = *set(
				"old.example", "A", 60, "192.0.2.9")
		}, send.Halfway, 2},
	} {
		t.Run(name, func(t *testing.T) {
			z := &zone{sets: map[record.Key]record.Set{key("old.example"): *set("old.example", "A", 60,
				"192.0.2.1")}, takes: c.takes, err: c.err}
			if c.unread != nil {
				z.changed = func() { c.unread(z) }
			}
			var kept []send.Outcome
			e, err := send.Carry(context.Background(), z, &still{}, send.Entry{Step: 1}, tr,
				func(e *send.Entry) error {
					kept = append(kept, e.Outcome)
					return nil
				})
			require.NoError(t, err)
			assert.Equal(t, c.outcome, e.Outcome)
			assert.Equal(t, []send.Outcome{send.Begun, c.outcome}, kept, "it is kept before, and after")
			assert.Len(t, e.Others, c.others)
			assert.Equal(t, e.Outcome.Good(), e.Why() == nil)
			require.NoError(t, e.Check())
		})
	}
}

func key(name string) record.Key { return record.Key{Name: name, Type: "A"} }

func TestNothingIsSentThatIsNotKept(t *testing.T) {
	z := &zone{sets: map[record.Key]record.Set{}, takes: -1}
	full := errors.New("the disk is full")
	tr := send.Transfer{Zone: "old.example", Changes: []record.Change{
		change(nil, set("old.example", "A", 300, "192.0.2.2"))}}
	_, err := send.Carry(context.Background(), z, &still{}, send.Entry{Step: 1}, tr,
		func(*send.Entry) error { return full })
	require.ErrorIs(t, err, full)
	assert.Empty(t, z.sets)

	z.unread = 1
	e, err := send.Carry(context.Background(), z, &still{}, send.Entry{Step: 1}, tr,
		func(*send.Entry) error { return full })
	require.NoError(t, err)
	assert.Equal(t, send.Unread, e.Outcome)
}

// TestWhatIsTakenBack keeps runs of sending and undoing at random, broken off too, and compares
// what would be taken back with what a plain list of states says.
func TestWhatIsTakenBack(t *testing.T) {
	r := rand.New(rand.NewPCG(36, 1))
	for round := range 300 {
		z := &zone{sets: map[record.Key]record.Set{key("old.example"): *set("old.example", "A", 60,
			"192.0.2.1")}, takes: -1}
		before := fmt.Sprint(z.sets)
		var log []send.Entry
		keep := func(e *send.Entry) error {
			if e.ID > 0 {
				log[e.ID-1] = *e
				return nil
			}
			log = append(log, *e)
			e.ID = int64(len(log))
			log[e.ID-1].ID = e.ID
			return nil
		}
		for range 1 + r.IntN(4) {
			sets, _ := z.Read(
				context.Background(),
				"",
				[]record.Key{key("old.example"), key("b.old.example")},
			)
			tr := send.Transfer{Zone: "old.example"}
			for _, name := range []string{"old.example", "b.old.example"} {
				var is *record.Set
				if s, there := record.Find(sets, name, "A"); there {
					is = &s
				}
				next := set(name, "A", 60*(1+r.IntN(3)), fmt.Sprintf("203.0.113.%d", r.IntN(9)))
				if r.IntN(4) == 0 {
					next = nil
				}
				if is != nil || next != nil {
					tr.Changes = append(tr.Changes, change(is, next))
				}
			}
			z.err = nil
			if r.IntN(3) == 0 {
				z.err = errors.New("its answer was lost")
			}
			_, err := send.Carry(context.Background(), z, &still{}, send.Entry{Step: 4, Key: "k"}, tr, keep)
			require.NoError(t, err)
		}
		z.err = nil
		for _, e := range slices.Backward(send.LastSent(log, "", "k")) {
			back, err := send.Carry(context.Background(), z, &still{},
				send.Entry{Step: 4, Key: "k", Undo: true}, e.Transfer().Back(), keep)
			require.NoError(t, err)
			require.True(t, back.Outcome.Good(), "%d: %+v", round, back)
		}
		assert.Equal(t, before, fmt.Sprint(z.sets), round)
		assert.Empty(t, send.LastSent(log, "", "k"), "it is taken back once")
	}
}

// late is a place that shows what it took only after some reads.
type late struct {
	*zone
	reads int
	old   map[record.Key]record.Set
}

func (l *late) Read(ctx context.Context, name string, keys []record.Key) ([]record.Set, error) {
	if l.old != nil && l.reads > 0 {
		l.reads--
		return (&zone{sets: l.old}).Read(ctx, name, keys)
	}
	return l.zone.Read(ctx, name, keys)
}

func (l *late) Change(ctx context.Context, t send.Transfer) (string, error) {
	l.old = maps.Clone(l.sets)
	return l.zone.Change(ctx, t)
}

func TestAPlaceThatShowsItLater(t *testing.T) {
	tr := send.Transfer{Zone: "old.example", Changes: []record.Change{
		change(nil, set("old.example", "A", 300, "192.0.2.2"))}}
	for reads, wanted := range map[int]send.Outcome{0: send.Sent, 1: send.Sent, 2: send.Sent,
		3: send.NotTaken} {
		clock := &still{}
		l := &late{zone: &zone{sets: map[record.Key]record.Set{}, takes: -1}, reads: reads}
		e, err := send.Carry(context.Background(), l, clock, send.Entry{Step: 1}, tr,
			func(*send.Entry) error { return nil })
		require.NoError(t, err)
		assert.Equal(t, wanted, e.Outcome, reads)
		assert.Equal(t, time.Duration(min(reads, 2))*2*time.Second, clock.slept, reads)
	}
	// what it did not take is not waited for
	clock := &still{}
	l := &late{zone: &zone{sets: map[record.Key]record.Set{}, err: errors.New("it fails")}}
	e, err := send.Carry(context.Background(), l, clock, send.Entry{Step: 1}, tr,
		func(*send.Entry) error { return nil })
	require.NoError(t, err)
	assert.Equal(t, send.NotTaken, e.Outcome)
	assert.Zero(t, clock.slept)
}

func TestWhatIsFoundOut(t *testing.T) {
	entry := send.Entry{Step: 1, Zone: "old.example", Outcome: send.Begun, Changes: []record.Change{
		change(set("old.example", "A", 60, "192.0.2.1"), set("old.example", "A", 300, "192.0.2.2")),
		change(nil, set("b.old.example", "A", 300, "192.0.2.2"))}}
	now := time.Unix(1796092800, 0)
	for name, c := range map[string]struct {
		sets    []*record.Set
		outcome send.Outcome
		others  int
	}{
		"all of it": {[]*record.Set{set("old.example", "A", 300, "192.0.2.2"),
			set("b.old.example", "A", 300, "192.0.2.2")}, send.Sent, 0},
		"nothing": {[]*record.Set{set("old.example", "A", 60, "192.0.2.1")}, send.NotTaken, 0},
		"a part":  {[]*record.Set{set("old.example", "A", 300, "192.0.2.2")}, send.Halfway, 1},
		"another": {[]*record.Set{set("old.example", "A", 300, "192.0.2.9"),
			set("b.old.example", "A", 300, "192.0.2.2")}, send.Halfway, 1},
	} {
		z := &zone{sets: map[record.Key]record.Set{}}
		for _, s := range c.sets {
			z.sets[record.Key{Name: s.Name, Type: s.Type}] = *s
		}
		e := entry
		require.True(t, e.FindOut(context.Background(), z, now), name)
		assert.Equal(t, c.outcome, e.Outcome, name)
		assert.Len(t, e.Others, c.others, name)
		assert.Equal(t, now, e.Ended)
	}
	e := entry
	assert.False(t, e.FindOut(context.Background(), &zone{unread: 1}, now))
	assert.Equal(t, send.Begun, e.Outcome, "nobody knows it still")
}

func TestWhatIsOfAStep(t *testing.T) {
	c := []record.Change{change(nil, set("old.example", "A", 300, "192.0.2.2"))}
	log := []send.Entry{
		{Key: "k", Zone: "old.example", Outcome: send.Sent, Changes: c},
		{Key: "l", Zone: "l.example", Outcome: send.Sent, Changes: c},
		{Key: "k", Scope: "wave:1", Zone: "w.example", Outcome: send.Sent, Changes: c},
		{Key: "k", Zone: "no.example", Outcome: send.NotTaken, Changes: c},
		{Key: "k", Zone: "half.example", Outcome: send.Halfway, Changes: c},
	}
	var zones []string
	for _, e := range send.LastSent(log, "", "k") {
		zones = append(zones, e.Zone)
	}
	assert.Equal(t, []string{"old.example", "half.example"}, zones)
}

func TestWhatIsKeptIsChecked(t *testing.T) {
	good := send.Entry{Step: 1, Zone: "old.example", Outcome: send.Sent, Changes: []record.Change{
		change(nil, set("old.example", "A", 300, "192.0.2.2"))}}
	require.NoError(t, good.Check())
	one := set("a", "A", 1)
	for name, spoil := range map[string]func(e *send.Entry){
		"no outcome": func(e *send.Entry) { e.Outcome = "fine" },
		"no zone":    func(e *send.Entry) { e.Zone = "" },
		"no step":    func(e *send.Entry) { e.Step = 0 },
		"no name":    func(e *send.Entry) { e.Changes = []record.Change{{Type: "A", After: one}} },
		"no type":    func(e *send.Entry) { e.Changes = []record.Change{{Name: "a", After: one}} },
		"no change":  func(e *send.Entry) { e.Changes = []record.Change{{Name: "a", Type: "A"}} },
	} {
		e := good
		spoil(&e)
		require.Error(t, e.Check(), name)
	}
}

func ExampleTransfer_Back() {
	t := send.Transfer{Zone: "old.example", Changes: []record.Change{{Action: record.Came,
		Name: "old.example", Type: "A",
		After: &record.Set{Name: "old.example", Type: "A", TTL: 300, Values: []string{"203.0.113.20"}}}}}
	fmt.Println(t.Back().Changes[0].Action)
	// Output: went
}
