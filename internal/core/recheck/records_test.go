package recheck_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"upperpath.example/upperpath/internal/core/recheck"
	"upperpath.example/upperpath/internal/core/record"
	"upperpath.example/upperpath/internal/core/survey"
)

// compared says what differs between two surveys, record by record.
func compared(before, after *survey.Survey) *recheck.Records {
	return recheck.Compare(recheck.Of(before, nil), recheck.Of(after, nil), nil, nil, day).Records
}

// records is a domain a.example with records such as "www A 192.0.2.1".
func records(lines ...string) survey.Domain {
	d := survey.Domain{Name: "a.example", Source: survey.File, Records: []record.Set{}}
	for _, l := range lines {
		f := strings.SplitN(l, " ", 3)
		name, _ := record.Name(f[0], d.Name)
		d.Records = append(d.Records,
			record.Set{Name: name, Type: f[1], TTL: 3600, Values: []string{f[2]}})
	}
	return d
}

func TestCompareDoesNotTakeAPartialPictureForALoss(t *testing.T) {
	whole, part := records("@ A 192.0.2.1", "hidden A 192.0.2.9"), records("@ A 192.0.2.2")
	answers := []survey.Server{{Name: "ns", State: survey.Answers}}
	whole.Servers, part.Servers = answers, answers
	part.Partial = true
	changes := compared(&survey.Survey{Domains: []survey.Domain{whole}},
		&survey.Survey{Domains: []survey.Domain{part}}).Changes["a.example"]
	require.Len(t, changes, 1)
	assert.Equal(t, record.Changed, changes[0].Action)
	part.Partial = false
	assert.Len(t,
		compared(&survey.Survey{Domains: []survey.Domain{whole}},
			&survey.Survey{Domains: []survey.Domain{part}}).Changes["a.example"], 2)
}

func TestADomainThatOneSurveyDidNotSeeIsNoLoss(t *testing.T) {
	seen, silent := records("@ A 192.0.2.1"), records()
	seen.Servers, silent.Servers = []survey.Server{{Name: "ns", State: survey.Answers}},
		[]survey.Server{{Name: "ns", State: survey.Silent}}
	silent.Source = survey.Asked
	for _, other := range []*survey.Survey{{}, {Domains: []survey.Domain{silent}}} {
		c := compared(&survey.Survey{Domains: []survey.Domain{seen}}, other)
		assert.Empty(t, c.Changes)
		assert.Equal(t, []string{"a.example"}, c.OnlyBefore)
		c = compared(other, &survey.Survey{Domains: []survey.Domain{seen}})
		assert.Empty(t, c.Changes)
		assert.Equal(t, []string{"a.example"}, c.OnlyAfter)
	}
}

func TestWhatWasNotAnsweredIsNotComparedAsGone(t *testing.T) {
	servers := []survey.Server{{Name: "ns", State: survey.Answers}}
	www := record.Set{Name: "www.a.example", Type: "A", TTL: 60, Values: []string{"192.0.2.1"}}
	mx := record.Set{Name: "a.example", Type: "MX", TTL: 60, Values: []string{"10 m."}}
	full := &survey.Survey{
		Domains: []survey.Domain{{Name: "a.example", Servers: servers, Records: []record.Set{www, mx}}}}
	less := &survey.Survey{
		Domains: []survey.Domain{{Name: "a.example", Servers: servers, Records: []record.Set{},
			Missed: []survey.Missed{{Name: "www.a.example", Type: "A", By: "ns", Why: "it says SERVFAIL"}}}}}
	for _, c := range []*recheck.Records{compared(full, less), compared(less, full)} {
		require.Len(t, c.Changes["a.example"], 1, "only what was answered both times")
		assert.Equal(t, "MX", c.Changes["a.example"][0].Type)
		assert.Equal(t, []record.Key{{Name: "www.a.example", Type: "A"}}, c.Unseen["a.example"])
	}
}

func TestKeptStatesHaveNoRecordsToCompare(t *testing.T) {
	now := recheck.Of(&survey.Survey{Domains: []survey.Domain{records("@ A 192.0.2.1")}}, nil)
	assert.Nil(t, recheck.Compare(&recheck.State{}, now, nil, nil, day).Records)
	assert.Nil(t, recheck.Compare(nil, now, nil, nil, day).Records)
}

func TestSurveysThatSawZonesInPartAreNamed(t *testing.T) {
	part := records("@ A 192.0.2.1")
	part.Partial, part.Servers = true, []survey.Server{{Name: "ns", State: survey.Answers}}
	c := compared(&survey.Survey{Started: day, Domains: []survey.Domain{part}}, &survey.Survey{})
	assert.Equal(t, []recheck.Partial{{Started: day, Zones: 1}}, c.Partial)
}
