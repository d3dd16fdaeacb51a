package program

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"upperpath.example/upperpath/internal/core/record"
	"upperpath.example/upperpath/internal/core/send"
)

// Check is one thing that a program has to do, and whether it does.
type Check struct {
	Name string `json:"name"`
	OK   bool   `json:"ok"`
	Says string `json:"says,omitempty"` // what it did instead
}

// Foreign is a zone that no program knows.
const Foreign = "upperpath-try.invalid"

// tryName begins the names that come and go in the zone that is lent.
const tryName = "_upperpath-try"

// Try tries a program in a zone that is lent for that: names that begin with _upperpath-try come
// there and go. The first check that does not hold ends it where the next ones need it. What stands
// in the zone in the end is compared with what stood there in the beginning.
func Try(ctx context.Context, c Command, zone string) []Check {
	t := &trial{zone: zone}
	p, err := Start(ctx, c)
	if !t.check("answers hello with the version that is spoken", err) {
		return t.all
	}
	defer func() { p.Close() }()
	t.Program = p
	before, err := p.Zone(ctx, zone)
	if !t.check("reads the zone", err) {
		return t.all
	}
	if slices.ContainsFunc(
		before,
		func(s record.Set) bool { return strings.HasPrefix(s.Name, tryName) },
	) {
		t.check("has nothing of an earlier trial in the zone",
			fmt.Errorf("names that begin with %s are there: take them away first", tryName))
		return t.all
	}
	t.check("reads the same zone again", t.stands(ctx, before))
	_, err = p.Zone(ctx, Foreign)
	if err = wanted(err, "it read "+Foreign); p.broken != nil {
		err = p.broken
	}
	t.check("does not answer for a zone that it has not, and goes on", err)
	if p.broken != nil {
		return t.all
	}
	t.changes(ctx, before)
	t.check("leaves the zone as it was", t.stands(ctx, before))
	began := time.Now()
	p.Close()
	var late error
	if time.Since(began) >= 2*time.Second {
		late = fmt.Errorf("it did not end within 2 seconds, and was killed")
	}
	t.check("ends when its standard input does", late)
	return t.all
}

type trial struct {
	*Program
	zone string
	all  []Check
}

// check notes a check, and reports whether it holds.
func (t *trial) check(name string, err error) bool {
	c := Check{Name: name, OK: err == nil}
	if err != nil {
		c.Says = err.Error()
	}
	t.all = append(t.all, c)
	return c.OK
}

func wanted(err error, instead string) error {
	if err == nil {
		return fmt.Errorf("%s", instead)
	}
	return nil
}

// stands reports, as an error, where the zone is not as it was: serials aside.
func (t *trial) stands(ctx context.Context, before []record.Set) error {
	now, err := t.Zone(ctx, t.zone)
	if err != nil {
		return err
	}
	for _, c := range record.Changes(before, now) {
		if c.Type != "SOA" {
			return fmt.Errorf("%s %s %s", c.Name, c.Type, c.Action)
		}
	}
	return nil
}

// changes tries changes: what comes, what is changed, what goes, and what must not be taken.
func (t *trial) changes(ctx context.Context, before []record.Set) {
	name := tryName + "." + t.zone
	long := `"` + strings.Repeat("a", 255) + `" "` + strings.Repeat("b", 100) + `"`
	set := func(kind string, ttl int, values ...string) *record.Set {
		return &record.Set{Name: name, Type: kind, TTL: ttl, Values: values}
	}
	change := func(all ...record.Change) send.Transfer {
		return send.Transfer{Zone: t.zone, Changes: all}
	}
	of := func(before, after *record.Set) record.Change {
		s := before
		if s == nil {
			s = after
		}
		return record.Change{Name: s.Name, Type: s.Type, Before: before, After: after}
	}
	first := change(of(nil, set("A", 300, "192.0.2.1")), of(nil, set("TXT", 300, `"one; two"`, long)))
	carry := func(what string, tr send.Transfer, taken bool, then send.Transfer) bool {
		_, err := t.Change(ctx, tr)
		if !taken {
			_, is := err.(*send.Refused)
			switch {
			case err == nil:
				err = fmt.Errorf("it took it")
			case !is:
				err = fmt.Errorf("it did not refuse it, but failed: %w", err)
			default:
				err = nil
			}
		}
		if err == nil && len(then.Changes) > 0 {
			err = t.has(ctx, then)
		}
		return t.check(what, err)
	}
	if !carry("takes several sets in one change", first, true, first) {
		t.clear(ctx)
		return
	}
	carry("refuses to add what is there, and says that the zone has changed", change(of(nil,
		set("A", 300, "192.0.2.9"))), false, first)
	carry("refuses a change of what is not as it has to be before", change(of(
		set("A", 300, "192.0.2.7"), set("A", 300, "192.0.2.8"))), false, first)
	carry("takes all of a change or nothing", change(of(set("A", 300, "192.0.2.1"),
		set("A", 300, "192.0.2.8")), of(set("TXT", 300, `"another"`), nil)), false, first)
	second := change(of(set("A", 300, "192.0.2.1"), set("A", 600, "192.0.2.2", "192.0.2.3")))
	carry("replaces values and the TTL of a set", second, true, second)
	_, err := t.Change(ctx, send.Transfer{Zone: Foreign, Changes: first.Changes})
	t.check("refuses a change of a zone that it has not", wanted(err, "it took it"))
	t.clear(ctx)
}

// has reports, as an error, what of a transfer does not stand there.
func (t *trial) has(ctx context.Context, tr send.Transfer) error {
	sets, err := t.Read(ctx, t.zone, tr.Keys())
	if err != nil {
		return err
	}
	s := tr.Compare(sets)
	switch {
	case len(s.Others)+len(s.Open) > 0:
		for _, o := range slices.Concat(s.Others, opens(s.Open)) {
			return fmt.Errorf("%s %s is not as it was sent", o.Change.Name, o.Change.Type)
		}
	case len(s.TTLs) > 0:
		return fmt.Errorf("%s has a TTL of %d seconds, not of %d", s.TTLs[0].Change.Name,
			s.TTLs[0].Found.TTL, s.TTLs[0].Change.After.TTL)
	}
	return nil
}

func opens(all []record.Change) []send.Other {
	var others []send.Other
	for _, c := range all {
		others = append(others, send.Other{Change: c})
	}
	return others
}

// clear takes all of the trial out of the zone.
func (t *trial) clear(ctx context.Context) {
	all, err := t.Zone(ctx, t.zone)
	if err == nil {
		tr := send.Transfer{Zone: t.zone}
		for _, s := range all {
			if strings.HasPrefix(s.Name, tryName) {
				tr.Changes = append(tr.Changes, record.Change{Name: s.Name, Type: s.Type, Before: &s})
			}
		}
		if len(tr.Changes) > 0 {
			_, err = t.Change(ctx, tr)
		}
	}
	t.check("removes sets", err)
}
