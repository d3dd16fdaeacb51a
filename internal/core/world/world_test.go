package world_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"upperpath.example/upperpath/internal/core/estate"
	"upperpath.example/upperpath/internal/core/record"
	"upperpath.example/upperpath/internal/core/survey"
	"upperpath.example/upperpath/internal/core/web"
	"upperpath.example/upperpath/internal/core/world"
)

// of makes a state of zones, each a line with its name and then a record a line, its name in full.
func of(t *testing.T, change func(*survey.Domain), zones ...string) *world.World {
	t.Helper()
	text := func(s string) *estate.Node { return &estate.Node{Kind: estate.Scalar, Text: s} }
	entry := func(key string, value *estate.Node) estate.Entry {
		return estate.Entry{Key: text(key), Value: value}
	}
	mapping := func(all ...estate.Entry) *estate.Node {
		return &estate.Node{Kind: estate.Mapping, Entries: all}
	}
	carrier := func(by, address string) *estate.Node {
		return mapping(entry("by", text(by)), entry("addresses", text(address)))
	}
	domains := &estate.Node{Kind: estate.List, Items: []*estate.Node{text("n.example")}}
	v := &survey.Survey{}
	for _, z := range zones {
		lines := strings.Split(z, "\n")
		d := survey.Domain{Name: lines[0], Source: survey.File}
		for _, l := range lines[1:] {
			f := strings.SplitN(l, " ", 3)
			value, err := record.Value(f[1], f[2])
			if err != nil {
				value = f[2]
			}
			i := -1
			for j, s := range d.Records {
				if s.Name == f[0] && s.Type == f[1] {
					i = j
				}
			}
			if i < 0 {
				i = len(d.Records)
				d.Records = append(d.Records, record.Set{Name: f[0], Type: f[1], TTL: 3600})
			}
			d.Records[i].Values = append(d.Records[i].Values, value)
		}
		if change != nil {
			change(&d)
		}
		v.Domains = append(v.Domains, d)
		domains.Items = append(domains.Items, text(lines[0]))
	}
	e, faults := estate.Read(mapping(
		entry("canonical", text("https://www.n.example")),
		entry("carriers", mapping(
			entry(
				"gw",
				carrier("server", "203.0.113.20"),
			),
			entry("plat", carrier("platform", "198.51.100.60")),
			entry("net", carrier("edge", "198.51.100.80")),
		)),
		entry("defaults", mapping(entry("carrier", text("gw")))),
		entry("domains", domains),
	))
	require.NoError(t, faults.Err())
	return world.New(world.Input{Estate: e, Survey: v})
}

// TestWhereNamesLead has aliases, wildcards by the examples of RFC 4592 section 2.2.1, trees, rings
// and other zones.
func TestWhereNamesLead(t *testing.T) {
	w := of(
		t,
		nil,
		"a.example\na.example A 192.0.2.1\na.example AAAA 2001:db8::1\nwww.a.example CNAME a.example\n"+
			"out.a.example CNAME else.where.test\n*.a.example A 192.0.2.9\nx.y.a.example TXT t\n"+
			"sub.a.example NS ns.test\n"+
			"one.a.example CNAME two.a.example\ntwo.a.example CNAME one.a.example\n"+
			"other.a.example CNAME www.b.example\n"+
			"tree.a.example DNAME b.example\nempty.a.example TXT t",
		"b.example\nb.example A 192.0.2.2\nwww.b.example CNAME www.a.example\n"+
			"*.wild.b.example CNAME a.example",
	)
	for name, want := range map[string]string{
		"a.example":          "192.0.2.1 2001:db8::1",
		"www.a.example":      "192.0.2.1 2001:db8::1",
		"out.a.example":      "else.where.test",
		"any.a.example":      "192.0.2.9",
		"more.any.a.example": "192.0.2.9",
		"y.a.example":        "", // it is on the way to x.y, and so exists
		// the wildcard is not right below the nearest name that exists
		"z.y.a.example":        "",
		"host.sub.a.example":   "host.sub.a.example", // somebody else's zone
		"one.a.example":        "",
		"other.a.example":      "192.0.2.1 2001:db8::1",
		"www.tree.a.example":   "192.0.2.1 2001:db8::1",
		"empty.a.example":      "",
		"q.wild.b.example":     "192.0.2.1 2001:db8::1",
		"wild.b.example":       "",
		"nothing.b.example":    "",
		"far.test":             "far.test",
		"www.unseen.n.example": "?www.unseen.n.example",
	} {
		assert.Equal(t, want, strings.Join(w.Lead(name).Ends, " "), name)
	}
	assert.Equal(
		t,
		[]string{"other.a.example", "www.b.example", "www.a.example", "a.example"},
		w.Lead("other.a.example").Via,
	)
}

func TestWhatNobodySawIsUnseen(t *testing.T) {
	w := of(t, func(d *survey.Domain) {
		d.Partial, d.Wildcards = true, []string{"w.a.example"}
		d.Missed = []survey.Missed{{Name: "www.a.example", Type: "A"}, {Name: "a.example", Type: "MX"}}
	}, "a.example\na.example A 192.0.2.1\nw.a.example A 192.0.2.3")
	for name, want := range map[string]string{
		"a.example": "192.0.2.1", "www.a.example": "?www.a.example", "ftp.a.example": "?ftp.a.example",
		"x.w.a.example": "?*.w.a.example",
	} {
		assert.Equal(t, want, strings.Join(w.Lead(name).Ends, " "), name)
	}
	_, known := w.Receivers("a.example")
	assert.False(t, known)
	assert.True(t, w.Lead("ftp.a.example").Unseen())
	assert.NoError(
		t,
		w.Apply(
			world.Row{Zone: "a.example", Do: world.Remove, Label: "www", Type: "A", Was: "192.0.2.7"},
		),
		"nobody knows whether it is there",
	)
}

// TestRowsAreTypedAsTheyStand types rows, right and wrong ones.
func TestRowsAreTypedAsTheyStand(t *testing.T) {
	row := func(do world.Action, label, kind, was, value string) world.Row {
		return world.Row{
			Zone:  "a.example",
			Do:    do,
			Label: label,
			Type:  kind,
			Was:   was,
			Value: value,
			TTL:   300,
		}
	}
	for name, c := range map[string]struct {
		row  world.Row
		says string // "" where it fits
		ends string // of www then
	}{
		"an alias goes": {row(world.Remove, "www", "CNAME", "a.example", ""), "",
			"192.0.2.9"},
		"another in its place": {row(world.Replace, "www", "CNAME", "a.example", "x.test"), "",
			"x.test"},
		"what is not there": {row(world.Remove, "www", "A", "192.0.2.1", ""), "no such record",
			"192.0.2.1"},
		"what is there already": {row(world.Add, "@", "A", "", "192.0.2.1"), "exists already",
			"192.0.2.1"},
		"a value of another kind": {row(world.Add, "ftp", "A", "", "x.test"), "not an address",
			"192.0.2.1"},
		"a name of another zone": {row(world.Add, "www.b.example.", "A", "", "192.0.2.1"),
			"not a name in the zone", "192.0.2.1"},
		"a TTL of what is not there": {row(world.Lower, "www", "CNAME", "", "b.example"),
			"no such record", "192.0.2.1"},
		"a zone that is not there": {
			world.Row{Zone: "c.example", Do: world.Add, Label: "@", Type: "A", Value: "192.0.2.1"},
			"no zone", "192.0.2.1"},
		"an entry that nobody knows": {world.Row{Place: "gw", Do: world.Add, Kind: "song"},
			"no such entry", "192.0.2.1"},
		"a forwarding that is not": {world.Row{Place: "gw", Do: world.Remove, Kind: world.Forward},
			"nothing of the kind", "192.0.2.1"},
		"what nobody does": {row("dance", "www", "CNAME", "", "b.example"), "no such action",
			"192.0.2.1"},
		"an alias of the provider's": {row(world.Replace, "www", record.Alias, "x", "y"),
			"no such record", "192.0.2.1"},
		"a text as a form shows it": {row(world.Remove, "t", "TXT", "one two", ""), "", "192.0.2.1"},
		"through an edge": {
			world.Row{Zone: "a.example", Do: world.Add, Label: "@", Type: "A", Value: "192.0.2.7",
				Through: "net"}, "", "192.0.2.1 198.51.100.80"},
		"an address beside the others": {row(world.Add, "@", "A", "", "192.0.2.8"), "",
			"192.0.2.1 192.0.2.8"},
	} {
		t.Run(name, func(t *testing.T) {
			w := of(
				t,
				nil,
				"a.example\na.example A 192.0.2.1\nwww.a.example CNAME a.example\n*.a.example A 192.0.2.9\n"+
					"t.a.example TXT \"one two\"",
			)
			clone := w.Clone()
			err := w.Apply(c.row)
			if c.says == "" {
				assert.NoError(t, err)
			} else if assert.Error(t, err) {
				assert.Contains(t, err.Error(), c.says)
			}
			assert.Equal(t, c.ends, strings.Join(w.Lead("www.a.example").Ends, " "))
			assert.Equal(
				t,
				"192.0.2.1",
				strings.Join(clone.Lead("www.a.example").Ends, " "),
				"a clone goes its own way",
			)
		})
	}
}

// TestWhoMaySend asks for every kind of term (RFC 7208).
func TestWhoMaySend(t *testing.T) {
	const zone = "a.example\na.example A 192.0.2.1\na.example AAAA 2001:db8::1\n" +
		"a.example MX 10 mx.a.example\nmx.a.example A 192.0.2.2\n" +
		"www.a.example CNAME a.example\nnone.a.example A 192.0.2.3\n" +
		"in.a.example TXT \"v=spf1 ip4:198.51.100.0/24 -all\"\nsoft.a.example TXT \"v=spf1 ~all\"\n" +
		"a.example TXT "
	for record, want := range map[string]map[string]world.Result{
		"v=spf1 a -all": {"192.0.2.1": world.Pass, "2001:db8::1": world.Pass,
			"192.0.2.2": world.Fail, "*": world.Fail},
		"v=spf1 a/24 ?all": {"192.0.2.77": world.Pass, "2001:db8::2": world.Neutral,
			"192.0.3.1": world.Neutral},
		"v=spf1 a//64 ~all":                {"2001:db8::2": world.Pass, "192.0.2.2": world.SoftFail},
		"v=spf1 -a:www.a.example +all":     {"192.0.2.1": world.Fail, "192.0.2.2": world.Pass},
		"v=spf1 mx mx:a.example -all":      {"192.0.2.2": world.Pass, "192.0.2.1": world.Fail},
		"v=spf1 include:in.a.example ~all": {"198.51.100.7": world.Pass, "192.0.2.1": world.SoftFail},
		"v=spf1 include:soft.a.example":    {"192.0.2.1": world.Neutral},
		"v=spf1 redirect=in.a.example":     {"198.51.100.7": world.Pass, "192.0.2.1": world.Fail},
		"v=spf1 redirect=none.a.example":   {"192.0.2.1": world.Broken},
		"v=spf1 include:none.a.example":    {"192.0.2.1": world.Broken},
		"v=spf1 include:x.test exists:%{i}.y.test ptr -all": {"include:x.test": world.Pass,
			"exists:%{i}.y.test": world.Pass, "ptr": world.Pass,
			"192.0.2.1": world.Fail},
		"v=spf1 bogus:x -all":               {"192.0.2.1": world.Broken},
		"v=spf1 a a a a a a a a a a a -all": {"192.0.2.1": world.Pass, "192.0.2.9": world.Broken},
		"v=spf1 a:far.test -all":            {"far.test": world.Pass, "192.0.2.1": world.Fail},
		"v=spf1 include:a.example -all":     {"192.0.2.1": world.Broken},
	} {
		w := of(t, nil, zone+`"`+record+`"`)
		for sender, result := range want {
			assert.Equal(t, result, w.Allows("a.example", sender), "%s: %s", record, sender)
		}
	}
	w := of(t, nil, zone+`"v=spf1 ip4:198.51.100.0/30 mx -all"`)
	assert.Equal(
		t,
		map[string]world.Result{
			"*":            world.Fail,
			"198.51.100.0": world.Pass,
			"198.51.100.3": world.Pass,
			"192.0.2.2":    world.Pass,
		},
		w.Senders("a.example"),
		"the ends of a network stand for it",
	)
	assert.Empty(t, w.Senders("none.a.example"))
	two := of(t, nil, zone+`"v=spf1 a -all"`+"\na.example TXT \"v=spf1 mx -all\"")
	assert.Equal(t, world.Broken, two.Allows("a.example", "192.0.2.1"), "two are none")
}

func TestWhoReceives(t *testing.T) {
	w := of(
		t,
		nil,
		"a.example\na.example A 192.0.2.1\na.example MX 20 two.a.example\na.example MX 5 x.test\n"+
			"a.example MX 5 gone.a.example\n"+
			"two.a.example CNAME a.example\nnull.a.example MX 0 .\nplain.a.example A 192.0.2.4\n"+
			"alias.a.example CNAME a.example",
	)
	machines := func(name string) string {
		all, known := w.Receivers(name)
		assert.True(t, known)
		return strings.Join(world.Machines(all), ", ")
	}
	assert.Equal(t, "1 x.test, 2 192.0.2.1", machines("a.example"))
	assert.Equal(t, "", machines("null.a.example"))
	assert.Equal(t, "1 192.0.2.4", machines("plain.a.example"), "without MX the name itself receives")
	assert.Equal(t, "1 x.test, 2 192.0.2.1", machines("alias.a.example"))
	_, known := w.Receivers("far.test")
	assert.False(t, known)
}

func TestWhoWasTold(t *testing.T) {
	w := of(
		t,
		nil,
		"a.example\na.example A 203.0.113.20\nwww.a.example A 198.51.100.60\nshop.a.example A 192.0.2.1",
	)
	www, apex := web.MustParseHost("www.a.example"), web.MustParseHost("a.example")
	entry := func(place string, kind world.EntryKind, fields ...string) {
		r := world.Row{Place: place, Do: world.Add, Kind: kind, Domain: "a.example"}
		for i := 0; i < len(fields); i += 2 {
			r.Fields = append(r.Fields, world.Field{Name: fields[i], Value: fields[i+1]})
		}
		require.NoError(t, w.Apply(r))
	}
	assert.Equal(t, [][]string{{"gw"}}, w.Carriers("a.example"))
	assert.Equal(t, [][]string{{"plat"}}, w.Carriers("www.a.example"))
	assert.Empty(t, w.Carriers("shop.a.example"))
	assert.False(t, w.Knows("plat", www))
	early := w.Apply(world.Row{Place: "plat", Do: world.Add, Kind: world.Primary, Domain: "a.example",
		Fields: []world.Field{{Name: world.FieldRedirected, Value: "www.a.example"}}})
	assert.ErrorContains(t, early, "only after the claim", "it takes no host that was not claimed")
	assert.False(t, w.Knows("plat", www))
	entry("plat", world.HostEntry, world.FieldHost, "www.a.example")
	entry("plat", world.CertEntry, world.FieldCertificate, "www.a.example")
	assert.ErrorContains(t, w.Apply(world.Row{Place: "plat", Do: world.Add, Kind: world.Primary,
		Domain: "a.example", Fields: []world.Field{{Name: world.FieldPrimary, Value: "www.n.example"},
			{Name: world.FieldRedirected, Value: "www.a.example"}}}), "has no host www.n.example")
	entry("plat", world.HostEntry, world.FieldHost, "www.n.example")
	entry("plat", world.Primary, world.FieldPrimary, "www.n.example",
		world.FieldRedirected, "www.a.example")
	assert.True(t, w.Knows("plat", www))
	says, told := w.Says("plat", web.MustParseURL("https://www.a.example/x?y"))
	assert.True(t, told)
	assert.Equal(t, "https://www.n.example/x?y", says.Location)
	entry("gw", world.Config, world.FieldHosts, "a.example, other.example")
	assert.True(t, w.Knows("gw", apex))
	says, _ = w.Says("gw", web.MustParseURL("https://a.example/"))
	assert.True(t, says.Unread)
	entry(
		"net",
		world.Pattern,
		world.FieldPattern,
		"*a.example/*",
		world.FieldTarget,
		"https://www.n.example/$2",
		world.FieldStatus,
		"301",
		world.FieldQuery,
		"drop",
	)
	assert.True(t, w.Knows("net", www), "a star stands for www too")
	says, _ = w.Says("net", web.MustParseURL("http://www.a.example/x?y"))
	assert.Equal(t, world.Saying{Status: 301, Location: "https://www.n.example/x"}, says)
	_, told = w.Says("nobody", web.MustParseURL("http://www.a.example/"))
	assert.False(t, told)
	assert.Error(
		t,
		w.Apply(world.Row{Place: "gw", Do: world.Add, Kind: world.CertEntry, Fields: []world.Field{
			{
				Name:  world.FieldCertificate,
				Value: "a.example",
			}, {Name: world.FieldProof, Value: "_acme-challenge.b.example"}}}),
	)
}

// TestWhatLiesBelowACutIsNotKnownHere: a zone that hands a name on says nothing of what is there.
func TestWhatLiesBelowACutIsNotKnownHere(t *testing.T) {
	w := of(t, nil, "a.example\na.example A 192.0.2.1\na.example MX 10 mx.sub.a.example\n"+
		"sub.a.example NS ns.else.test\nmx.sub.a.example A 192.0.2.9\n"+
		"low.a.example CNAME x.sub.a.example")
	_, known := w.Receivers("x.sub.a.example")
	assert.False(t, known)
	_, known = w.Receivers("low.a.example")
	assert.False(t, known, "an alias that leads there is as unknown")
}

// TestWhatIsCopiedIsHeldAsThePreviousServersGaveIt copies a set with a shorter TTL than the one
// that the previous servers give until nobody asks them any more: their answers are held for their
// TTL.
func TestWhatIsCopiedIsHeldAsThePreviousServersGaveIt(t *testing.T) {
	const delegation = 7200
	w := of(t, func(d *survey.Domain) {
		d.Parent = survey.Parent{Servers: []string{"ns.old.example"}, TTL: delegation}
	}, "a.example\na.example A 192.0.2.1")
	w.Load("a.example", []record.Set{
		{Name: "a.example", Type: "A", TTL: 300, Values: []string{"192.0.2.1"}}})
	require.Empty(t, w.Act([]world.Row{{Place: "Registrar A", Do: world.Replace,
		Kind: world.NameServers, Domain: "a.example",
		Fields: []world.Field{{Name: "name server 1", Value: "ns.next.example"}}}}))
	w.Wait(delegation)
	require.Empty(t, w.Act([]world.Row{{Place: "next", Do: world.Replace, Zone: "a.example",
		Label: "@", Type: "A", Was: "192.0.2.1", Value: "203.0.113.20", TTL: 300}}))
	assert.Equal(t, []world.Old{{Name: "a.example", Type: "A", TTL: 3600, Until: delegation + 3600}},
		w.Olds("a.example"))
}
