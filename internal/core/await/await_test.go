package await_test

import (
	"context"
	"errors"
	"fmt"
	"math/rand/v2"
	"slices"
	"sync"
	"testing"
	"testing/synctest"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"upperpath.example/upperpath/internal/core/await"
	"upperpath.example/upperpath/internal/core/expect"
	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/web"
)

// bubble is the clock of a test, in which time passes only while everybody waits
// (testing/synctest).
type bubble struct{}

func (bubble) Now() time.Time                         { return time.Now() }
func (bubble) After(d time.Duration) <-chan time.Time { return time.After(d) }

// began is when every bubble begins.
var began = time.Date(2000, 1, 1, 0, 0, 0, 0, time.UTC)

// world is a made-up one: name servers change at some time, each on its own, and resolvers remember
// as RFC 1035 and RFC 2308 have it. It is written for this test alone.
type world struct {
	start    time.Time
	lock     sync.Mutex
	changes  map[string]time.Time // by name server and name: when it has the new
	silent   map[string]time.Time // until when a place says nothing
	old, new map[string][]string  // by name and type
	ttl      int
	cache    map[string]cached // by resolver, name and type
	sticky   map[string]int    // resolvers that keep everything so much longer
	asked    map[string][]time.Time
	doors    func(u web.URL) expect.Answer
}

type cached struct {
	values []string
	until  time.Time
}

func (w *world) Ask(_ context.Context, e expect.Expectation, at *expect.Place) expect.Answer {
	w.lock.Lock()
	defer w.lock.Unlock()
	now := time.Now()
	w.asked[at.Name] = append(w.asked[at.Name], now)
	if now.Before(w.silent[at.Name]) {
		return expect.Answer{Unseen: "it does not answer"}
	}
	if e.AtDoor() {
		return w.doors(web.MustParseURL(e.URL))
	}
	key := e.Name + " " + e.Type
	holds := func(server string) []string {
		if when, ok := w.changes[server+" "+e.Name]; ok && !now.Before(when) {
			return w.new[key]
		}
		return w.old[key]
	}
	if at.Kind != expect.Resolver {
		return expect.Answer{Values: holds(at.Name), TTL: w.ttl}
	}
	mine := at.Name + " " + key
	c, known := w.cache[mine]
	if !known || !now.Before(c.until) {
		server := []string{"ns1", "ns2"}[rand.IntN(2)] // it asks either
		c = cached{holds(server), now.Add(time.Duration(w.ttl+w.sticky[at.Name]) * time.Second)}
		w.cache[mine] = c
	}
	left := int(c.until.Sub(now) / time.Second)
	if s := w.sticky[at.Name]; s > 0 { // it does not say so
		left = min(left, w.ttl)
	}
	return expect.Answer{Values: c.values, TTL: left}
}

func newWorld() *world {
	return &world{start: time.Now(), changes: map[string]time.Time{}, silent: map[string]time.Time{},
		ttl: 300,
		old: map[string][]string{}, new: map[string][]string{}, cache: map[string]cached{},
		sticky: map[string]int{},
		asked:  map[string][]time.Time{}, doors: func(web.URL) expect.Answer { return expect.Answer{} }}
}

func places(domain string, resolvers int) []*expect.Place {
	all := []*expect.Place{{Kind: expect.NameServer, Name: "ns1", Zones: []string{domain}},
		{Kind: expect.NameServer, Name: "ns2", Zones: []string{domain}}}
	for i := range resolvers {
		all = append(all, &expect.Place{Kind: expect.Resolver, Name: fmt.Sprintf("r%d", i)})
	}
	return append(all, &expect.Place{Kind: expect.Vantage, Name: "here"})
}

func address(name, to, from string) expect.Expectation {
	w := expect.Expectation{Kind: expect.Records, Domain: "a.example", Name: name, Type: "A",
		Holds: "A", Values: []string{to}, Lasts: 300}
	if from != "" {
		w.Not = []string{from}
	}
	return w
}

func ignore([]await.Change) error { return nil }

// TestTheWaitIsOverWhenTheWorldIsAsPlanned has name servers change at random times, and resolvers
// that had asked before at random times. Whatever is said to be there is there in the world,
// whatever bound was said holds, nobody is asked more often than may be, and no resolver before its
// name servers.
func TestTheWaitIsOverWhenTheWorldIsAsPlanned(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		for seed := range uint64(40) {
			r := rand.New(rand.NewPCG(seed, 1)) // a test
			w := newWorld()
			var wants []expect.Expectation
			names := 1 + r.IntN(6)
			changed := map[string]time.Time{} // when the last of its servers has it
			for i := range names {
				name := fmt.Sprintf("h%d.a.example", i)
				want := address(name, "203.0.113.20", "198.51.100.4")
				if r.IntN(3) == 0 { // it was not there before
					want.Not = nil
				} else {
					w.old[name+" A"] = want.Not
				}
				w.new[name+" A"] = want.Values
				for _, s := range []string{"ns1", "ns2"} {
					at := began.Add(time.Duration(r.IntN(600)) * time.Second)
					w.changes[s+" "+name] = at
					if at.After(changed[name]) {
						changed[name] = at
					}
				}
				for _, resolver := range []string{"r0", "r1", "r2"} {
					if r.IntN(2) == 0 { // somebody else asked it
						w.cache[resolver+" "+name+" A"] = cached{w.old[name+" A"],
							began.Add(time.Duration(r.IntN(900)) * time.Second)}
					}
				}
				wants = append(wants, want)
			}
			b := await.New(wants, places("a.example", 3), began)
			bound := map[string]time.Time{}
			err := await.Run(context.Background(), b, w, bubble{}, func(changes []await.Change) error {
				for _, c := range changes {
					if c.Item.State != expect.There {
						continue
					}
					assert.False(t,
						c.At.Before(w.changes["ns1 "+c.Item.Host]) && c.At.Before(w.changes["ns2 "+c.Item.Host]),
						"seed %d: %s at %s is said to be there, and is nowhere", seed, c.Item.Subject,
						c.Item.Place.Name)
					if until, said := bound[c.Item.Subject+c.Item.Place.Name]; said {
						assert.False(
							t,
							c.At.After(until.Add(15*time.Second)),
							"seed %d: %s at %s took longer than was said: %s, not %s",
							seed,
							c.Item.Subject,
							c.Item.Place.Name,
							c.At.Sub(began),
							until.Sub(began),
						)
					}
				}
				for _, i := range b.Items() {
					if key := i.Subject + i.Place.Name; !i.Until.IsZero() && bound[key].IsZero() {
						bound[key] = i.Until
					}
				}
				return nil
			})
			require.NoError(t, err)
			require.True(t, b.Done())
			assert.Empty(t, b.Missing(time.Now()))
			for _, i := range b.Items() {
				if i.Place.Kind == expect.Resolver {
					assert.False(t, i.Asked.Before(changed[i.Host]), "seed %d: %s was asked too early", seed,
						i.Place.Name)
				}
			}
			for place, times := range w.asked {
				assertCalm(t, place, times)
			}
		}
	})
}

// assertCalm looks that a place is asked in rounds at least 5 s apart.
func assertCalm(t *testing.T, place string, times []time.Time) {
	t.Helper()
	slices.SortFunc(times, time.Time.Compare)
	round := times[0]
	for _, at := range times {
		if at.Sub(round) >= 4900*time.Millisecond {
			round = at
		}
		assert.Less(t, at.Sub(round), 2*time.Second, "%s is asked between its rounds", place)
	}
}

func TestAThousandNamesAtThreeResolversAreAskedWithLessThan200QuestionsASecond(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		w := newWorld()
		var wants []expect.Expectation
		for i := range 1000 {
			name := fmt.Sprintf("h%d.a.example", i)
			wants = append(wants, address(name, "203.0.113.20", "198.51.100.4"))
			w.new[name+" A"], w.old[name+" A"] = []string{"203.0.113.20"}, []string{"198.51.100.4"}
			w.changes["ns1 "+name], w.changes["ns2 "+name] = began.Add(time.Minute), began.Add(2*time.Minute)
		}
		b := await.New(wants, places("a.example", 3), began)
		require.NoError(t, await.Run(context.Background(), b, w, bubble{}, ignore))
		var all []time.Time
		for _, times := range w.asked {
			all = append(all, times...)
		}
		slices.SortFunc(all, time.Time.Compare)
		most, from := 0, 0
		for i, at := range all {
			for at.Sub(all[from]) >= time.Second {
				from++
			}
			most = max(most, i-from+1)
		}
		assert.Less(t, most, 200, "questions within a second")
		assert.Equal(t, len(all), b.Asked())
	})
}

// one waits for one record, and gives the item of a place when it has a cause, or everything is
// there.
func one(t *testing.T, want expect.Expectation, w *world, place string) await.Item {
	t.Helper()
	b := await.New([]expect.Expectation{want}, places("a.example", 1), time.Now())
	found := errors.New("found")
	var item await.Item
	err := await.Run(context.Background(), b, w, bubble{}, func([]await.Change) error {
		for _, i := range b.Items() {
			if i.Place.Name == place && i.Cause != "" {
				item = i
				return found
			}
		}
		if time.Since(w.start) > 3*time.Hour {
			return found
		}
		return nil
	})
	require.ErrorIs(t, err, found)
	return item
}

func TestWhatIsOverdueHasACause(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		const name = "h.a.example"
		prepare := func() (*world, expect.Expectation) {
			w := newWorld()
			w.old[name+" A"], w.new[name+" A"] = []string{"198.51.100.4"}, []string{"203.0.113.20"}
			w.changes["ns1 "+name], w.changes["ns2 "+name] = began, w.start
			return w, address(name, "203.0.113.20", "198.51.100.4")
		}
		w, want := prepare()
		delete(w.changes, "ns2 "+name)
		i := one(t, want, w, "ns2")
		assert.Equal(t, await.NotTransferred, i.Cause)
		assert.Equal(t, expect.Old, i.State)
		assert.NotEmpty(t, i.Fix.String())
		assert.Contains(t, i.Why.String(), "while ns1 has the new value")
		assert.Less(t, time.Since(w.start), 10*time.Second, "that shows at the first look")

		w, want = prepare()
		w.cache["r0 "+name+" A"], w.sticky["r0"] = cached{w.old[name+" A"], w.start.Add(2 * time.Hour)}, 1
		i = one(t, want, w, "r0")
		assert.Equal(t, await.KeepsLonger, i.Cause)
		assert.Less(t, time.Since(w.start), 20*time.Minute, "the TTL that it gave was 5 minutes")

		w, want = prepare()
		w.new[name+" A"] = []string{"203.0.113.20", "198.51.100.99"}
		i = one(t, want, w, "ns1")
		assert.Equal(t, await.LeftBeside, i.Cause)
		assert.Equal(t, expect.Other, i.State)
		assert.Contains(t, i.Why.String(), "198.51.100.99")
	})
}

func TestWhatNobodyAnsweredAboutIsUnseen(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		w := newWorld()
		const name = "h.a.example"
		w.new[name+" A"] = []string{"203.0.113.20"}
		w.changes["ns1 "+name], w.changes["ns2 "+name] = began, began
		w.silent["ns2"], w.silent["r0"] = began.Add(time.Hour), began.Add(2*time.Hour)
		b := await.New([]expect.Expectation{address(name, "203.0.113.20", "")}, places("a.example", 2),
			began)
		seen := map[string][]expect.State{}
		require.NoError(t,
			await.Run(context.Background(), b, w, bubble{}, func(changes []await.Change) error {
				for _, c := range changes {
					seen[c.Item.Place.Name] = append(seen[c.Item.Place.Name], c.Item.State)
				}
				return nil
			}))
		assert.Equal(t, map[string][]expect.State{
			"ns1": {expect.There}, "ns2": {expect.Unseen, expect.There}, "r0": {expect.Unseen, expect.There},
			"r1": {expect.There},
		}, seen, "one silent name server keeps nobody from asking the resolvers")
		assert.GreaterOrEqual(t, time.Since(began), 2*time.Hour)
	})
}

func TestStatesOfRecords(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		alias := expect.Expectation{Kind: expect.Records, Domain: "a.example", Name: "w.a.example",
			Type: "A", Holds: "CNAME",
			Values: []string{"Sites.platform.example."}, Not: []string{"198.51.100.4"}}
		none := expect.Expectation{
			Kind:   expect.Records,
			Domain: "a.example",
			Name:   "w.a.example",
			Type:   "AAAA",
			Holds:  "AAAA",
			Not:    []string{"2001:db8::1"},
		}
		flat := expect.Expectation{Kind: expect.Records, Domain: "a.example", Name: "a.example",
			Type: "A", Holds: "A", Alias: true,
			Values: []string{"sites.platform.example."}, Not: []string{"198.51.100.4"}}
		text := expect.Expectation{Kind: expect.Records, Domain: "a.example", Name: "a.example",
			Type: "TXT", Holds: "TXT", Values: []string{`"Proof=1"`}}
		for _, c := range []struct {
			want expect.Expectation
			says expect.Answer
			is   expect.State
		}{
			{alias, expect.Answer{Alias: "sites.PLATFORM.example."}, expect.There},
			{alias, expect.Answer{Alias: "old.example."}, expect.Other},
			{alias, expect.Answer{Values: []string{"198.51.100.4"}}, expect.Old},
			{alias, expect.Answer{}, expect.Nothing},
			{none, expect.Answer{}, expect.There},
			{none, expect.Answer{Values: []string{"2001:db8::1"}}, expect.Old},
			{none, expect.Answer{Values: []string{"2001:db8::2"}}, expect.Other},
			{none, expect.Answer{Alias: "old.example."}, expect.Other},
			{flat, expect.Answer{Values: []string{"203.0.113.7"}}, expect.There},
			{flat, expect.Answer{Values: []string{"203.0.113.7", "198.51.100.4"}}, expect.Old},
			{flat, expect.Answer{}, expect.Nothing},
			{text, expect.Answer{Values: []string{`"Proof=1"`}}, expect.There},
			{text, expect.Answer{Values: []string{`"proof=1"`}}, expect.Other},
			{text, expect.Answer{Barred: "its signatures do not hold"}, expect.Nothing},
		} {
			place := []*expect.Place{{Kind: expect.Resolver, Name: "r"}}
			b := await.New([]expect.Expectation{c.want}, place, began)
			stop := errors.New("stop")
			err := await.Run(context.Background(), b, says(c.says), bubble{}, func(ch []await.Change) error {
				if len(ch) > 0 {
					return stop
				}
				return nil
			})
			require.ErrorIs(t, err, stop)
			assert.Equal(t, c.is, b.Items()[0].State, "%+v for %+v", c.says, c.want)
		}
	})
}

type says expect.Answer

func (s says) Ask(context.Context, expect.Expectation, *expect.Place) expect.Answer {
	return expect.Answer(s)
}

func TestDoorsAreAskedOnceTheirNameLeadsThere(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		w := newWorld()
		const name = "h.a.example"
		w.new[name+" A"], w.old[name+" A"] = []string{"203.0.113.20"}, []string{"198.51.100.4"}
		w.changes["ns1 "+name], w.changes["ns2 "+name] = began.Add(time.Minute), began.Add(2*time.Minute)
		issued := began.Add(30 * time.Minute)
		first := 0
		var asked time.Time
		w.doors = func(u web.URL) expect.Answer {
			if asked.IsZero() {
				asked = time.Now()
			}
			if u.Scheme() == web.HTTPS && time.Now().Before(issued) {
				f := finding.New(finding.WrongName, u.String(),
					fact.Kept{Says: "The certificate is for another name.", Do: "Wait."})
				f.Hop, f.Cause, f.Why = &first, finding.CertificateComing, fact.Plain("It is being issued.")
				return expect.Answer{Findings: []finding.Finding{f}, TTL: 60}
			}
			return expect.Answer{Met: "301", TTL: 60}
		}
		all := []expect.Expectation{address(name, "203.0.113.20", "198.51.100.4")}
		for _, scheme := range []string{"http", "https"} {
			d := expect.Expectation{Kind: expect.Certificate, URL: scheme + "://" + name + "/",
				Domain: "a.example"}
			if scheme == "https" {
				all = append(all, d)
			}
			d.Kind, d.Values = expect.Redirect, []string{"https://www.n.example/"}
			all = append(all, d)
		}
		b := await.New(all, places("a.example", 1), began)
		assert.Len(t, b.Items(), 3+3, "one record at three places, and three things at two doors")
		var coming await.Item
		require.NoError(t,
			await.Run(context.Background(), b, w, bubble{}, func(changes []await.Change) error {
				for _, c := range changes {
					if c.Item.What == await.Certificate && c.Item.State == expect.Other {
						coming = c.Item
					}
				}
				return nil
			}))
		assert.False(t, asked.Before(began.Add(2*time.Minute)),
			"a resolver would remember the old address")
		assert.Equal(t, await.Cause("certificate-coming"), coming.Cause)
		assert.Equal(t, "It is being issued.", coming.Why.String())
		assert.False(t, time.Now().Before(issued))
		assertCalm(t, "here", w.asked["here"])
	})
}

func TestAnInterruptEndsTheWait(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		ctx, cancel := context.WithCancel(context.Background())
		b := await.New([]expect.Expectation{address("h.a.example", "203.0.113.20", "")},
			places("a.example", 1), began)
		err := await.Run(ctx, b, newWorld(), bubble{}, func([]await.Change) error {
			if time.Since(began) > time.Minute {
				cancel()
			}
			return nil
		})
		require.ErrorIs(t, err, context.Canceled)
		assert.False(t, b.Done())
		assert.Equal(t, expect.NotAsked, b.Missing(time.Now())[len(b.Missing(time.Now()))-1].State)
	})
}

// TestAPlaceIsAskedInRounds has one that fails at once, again and again, for several names:
// whatever is due between two rounds waits for the next.
func TestAPlaceIsAskedInRounds(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		w := newWorld()
		var wants []expect.Expectation
		for i := range 3 {
			name := fmt.Sprintf("h%d.a.example", i)
			wants = append(wants, address(name, "203.0.113.20", ""))
			w.new[name+" A"] = []string{"203.0.113.20"}
			at := began.Add(time.Duration(20+7*i) * time.Second)
			w.changes["ns1 "+name], w.changes["ns2 "+name] = at, at
		}
		b := await.New(wants, places("a.example", 1), began)
		require.NoError(t, await.Run(context.Background(), b, w, bubble{}, ignore))
		for place, times := range w.asked {
			rounds := times[:1]
			for _, at := range times {
				if last := rounds[len(rounds)-1]; at.Sub(last) > time.Second {
					assert.GreaterOrEqual(t, at.Sub(last), 5*time.Second, place)
					rounds = append(rounds, at)
				}
			}
			assert.Greater(t, len(rounds), 1, place)
		}
	})
}

// slowly is a world in which some name servers take their time.
type slowly struct{ *world }

func (w slowly) Ask(ctx context.Context, e expect.Expectation, at *expect.Place) expect.Answer {
	time.Sleep(map[string]time.Duration{"ns3": 3 * time.Second, "ns4": 4 * time.Second}[at.Name])
	return w.world.Ask(ctx, e, at)
}

// TestWhatIsDueBetweenTwoRoundsWaits has a resolver that may be asked about one name at once, and
// about two others, whose name servers are slow, 3 and 4 seconds later. A door is asked right then,
// but the resolver only with its next round.
func TestWhatIsDueBetweenTwoRoundsWaits(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		w := slowly{newWorld()}
		var wants []expect.Expectation
		for _, domain := range []string{"a.example", "b.example", "c.example"} {
			want := address("h."+domain, "203.0.113.20", "")
			want.Domain = domain
			wants = append(wants, want)
			w.new["h."+domain+" A"] = []string{"203.0.113.20"}
			for _, s := range []string{"ns1", "ns2", "ns3", "ns4"} {
				w.changes[s+" h."+domain] = began
			}
		}
		wants = append(wants, expect.Expectation{Kind: expect.Redirect, Domain: "c.example",
			URL: "http://h.c.example/", Values: []string{"https://n.example/"}})
		b := await.New(wants, []*expect.Place{
			{Kind: expect.NameServer, Name: "ns1", Zones: []string{"a.example"}},
			{Kind: expect.NameServer, Name: "ns3", Zones: []string{"b.example"}},
			{Kind: expect.NameServer, Name: "ns4", Zones: []string{"c.example"}},
			{Kind: expect.Resolver, Name: "r0"}, {Kind: expect.Vantage, Name: "here"}}, began)
		require.NoError(t, await.Run(context.Background(), b, w, bubble{}, ignore))
		require.Len(t, w.asked["r0"], 3)
		assert.Equal(t, 4*time.Second, w.asked["here"][0].Sub(began).Round(time.Second))
		for _, at := range w.asked["r0"][1:] {
			assert.GreaterOrEqual(t, at.Sub(w.asked["r0"][0]), 5*time.Second)
		}
	})
}
