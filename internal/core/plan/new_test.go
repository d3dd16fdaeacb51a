package plan_test

import (
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"upperpath.example/upperpath/internal/core/plan"
	"upperpath.example/upperpath/internal/core/record"
	"upperpath.example/upperpath/internal/core/survey"
	"upperpath.example/upperpath/internal/core/world"
	"upperpath.example/upperpath/internal/core/zone"
	"upperpath.example/upperpath/internal/doc"
	"upperpath.example/upperpath/internal/words"
)

// nowhere is a survey of old.example, which the parent zone does not know.
func nowhere(change ...func(*survey.Domain)) *survey.Survey {
	d := survey.Domain{Name: "old.example",
		Parent: survey.Parent{Zone: "example", Server: "a.nic.example", Unknown: true}}
	for _, c := range change {
		c(&d)
	}
	return &survey.Survey{Started: today.Add(-time.Hour), Domains: []survey.Domain{d}}
}

const newDomain = "domains:\n  - {name: n.example, state: leave}\n" +
	"  - {name: old.example, carrier: four, mail: " +
	"none, registrar: Registrar A, " +
	"records-at: Registrar B, name-servers: [ns1.b.example, ns2.b.example]}\n"

func orderOf(p *plan.Plan) string {
	var all []string
	for _, s := range p.Steps {
		all = append(all, doc.Unmarked(words.Step(s)))
	}
	return strings.Join(all, "\n")
}

func TestADomainWithoutAZoneYet(t *testing.T) {
	p := planFor(t, newDomain, nowhere())
	z := zoneOf(t, p, "old.example")
	require.NotNil(t, z.New)
	assert.False(t, z.New.Ready)
	order := orderOf(p)
	place := func(text string) int {
		at := strings.Index(order, text)
		require.GreaterOrEqual(t, at, 0, "%s in\n%s", text, order)
		return at
	}
	assert.Less(t, place("Try them before"),
		place("Create the zone old.example at Registrar B once it is registered"))
	assert.Less(
		t,
		place("Create the zone"),
		place("At Registrar A, set the name servers of old.example to ns1.b.example and ns2.b.example"),
	)
	assert.Less(
		t,
		place("set the name servers"),
		place("Now that old.example can be found, and before anybody hears about it, get the "+
			"certificate at four"),
	)
	assert.NotContains(t, order, "Survey and save")
	assert.NotContains(t, order, "Set the records below")
	assert.Contains(t, texts(p), "the parent zone knows no such domain")
	assert.NotContains(t, texts(p), "saw nothing of the zones")
	assert.NotContains(
		t,
		texts(p),
		"Nobody has seen whether old.example receives mail",
		"there is no mail where there is no domain",
	)

	sets, err := p.File(&z)
	require.NoError(t, err)
	text := map[string]string{}
	for _, s := range sets {
		text[s.Name+" "+s.Type] = strings.Join(s.Values, "; ")
	}
	soa := strings.Fields(text["old.example SOA"])
	assert.Equal(t, []string{"ns1.b.example.", "hostmaster.old.example."}, soa[:2])
	assert.Equal(t, today.Format("20060102")+"01", soa[2])
	assert.Equal(t, "ns1.b.example.; ns2.b.example.", text["old.example NS"])
	assert.Equal(t, "203.0.113.40", text["www.old.example A"])
	assert.Equal(t, "0 .", text["old.example MX"])

	e := carried(t, p, "Registrar A").Entries
	require.Len(t, e, 1)
	assert.Equal(t, world.NameServers, e[0].Kind)
	assert.Contains(t, doc.Unmarked(words.Because(e[0].Reasons)), "First the zone must exist")
	for _, s := range p.Sheets() {
		for _, l := range s.Lines {
			assert.Equal(t, "Registrar B", s.Place)
			assert.Equal(t, "ns1.b.example", l.Check.Server)
			assert.Contains(t, doc.Unmarked(words.Because(l.Reasons)), "The zone is new")
		}
	}
}

func texts(p *plan.Plan) string {
	var all []string
	for _, n := range p.Notes {
		all = append(all, doc.Unmarked(words.Note(n)))
	}
	return strings.Join(all, "\n")
}

func TestANewZoneIsReadyWhenItsServersSayAllOfIt(t *testing.T) {
	zone := zoneOf(t, planFor(t, newDomain, nowhere()), "old.example")
	var whole []record.Set
	for _, r := range zone.Records {
		whole = append(whole, r.Set())
	}
	coming := func(name string, sets []record.Set) survey.Coming {
		return survey.Coming{Server: survey.Server{Name: name, State: survey.Answers}, Records: sets}
	}
	for name, c := range map[string]struct {
		coming []survey.Coming
		ready  bool
	}{
		"both say all": {
			[]survey.Coming{coming("ns1.b.example", whole), coming("ns2.b.example", whole)}, true},
		"one was not asked": {[]survey.Coming{coming("ns1.b.example", whole)}, false},
		"one lacks a record": {
			[]survey.Coming{coming("ns1.b.example", whole), coming("ns2.b.example", whole[1:])}, false,
		},
		"one is silent": {
			[]survey.Coming{coming("ns1.b.example", whole), {Server: survey.Server{Name: "ns2.b.example"}}},
			false,
		},
	} {
		t.Run(name, func(t *testing.T) {
			p := planFor(t, newDomain, nowhere(func(d *survey.Domain) { d.Coming = c.coming }))
			assert.Equal(t, c.ready, zoneOf(t, p, "old.example").New.Ready)
		})
	}
}

func TestWhatIsNoNewZone(t *testing.T) {
	held := nowhere(func(d *survey.Domain) {
		d.Registration = &survey.Registration{Status: []string{"client hold"}}
	})
	assert.Nil(
		t,
		zoneOf(t, planFor(t, newDomain, held), "old.example").New,
		"it is held back, and its zone may well be there",
	)

	unasked := nowhere(func(d *survey.Domain) { d.Parent.Unknown = false })
	assert.Nil(t, zoneOf(t, planFor(t, newDomain, unasked), "old.example").New,
		"nobody said that it is not there")

	ended := planFor(
		t,
		newDomain,
		nowhere(),
		func(in *plan.Input) { in.Earlier = seen(t, "old.example\n@ MX 10 mx.other.example.") },
	)
	z := zoneOf(t, ended, "old.example")
	assert.Nil(t, z.New, "it was there once, with mail")
	_, err := ended.File(&z)
	assert.ErrorIs(t, err, plan.ErrUnseen)
}

func TestANewZoneNeedsNameServers(t *testing.T) {
	named := func(servers, wanted string) (*plan.Plan, zone.Zone) {
		p := planFor(
			t,
			"domains:\n  - {name: n.example, state: leave}\n  - {name: old.example, carrier: four"+servers+
				wanted+"}\n",
			nowhere(),
		)
		return p, zoneOf(t, p, "old.example")
	}
	p, z := named("", "")
	_, err := p.File(&z)
	assert.ErrorIs(t, err, plan.ErrNoServers)
	assert.ErrorContains(t, err, "write name-servers: into its line")
	assert.Contains(t, orderOf(p), "to those that its provider names")

	_, z = named(", records-at: Registrar A, records-from: Registrar A, name-servers: [ns1.a.example]",
		"")
	assert.Equal(t, "Registrar A", z.Next, "there is no other place yet")

	p, z = named(", name-servers: [ns1.old.example]", "")
	_, err = p.File(&z)
	assert.ErrorContains(t, err, "lies in the new zone old.example itself")

	p, z = named(", name-servers: [ns1.old.example]",
		", wanted: [{name: ns1, type: A, value: 203.0.113.53}]")
	_, err = p.File(&z)
	assert.NoError(t, err)
}
