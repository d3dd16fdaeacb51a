package zone_test

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"time"

	"upperpath.example/upperpath/internal/core/act"
	"upperpath.example/upperpath/internal/core/estate"
	"upperpath.example/upperpath/internal/core/record"
	"upperpath.example/upperpath/internal/core/survey"
	"upperpath.example/upperpath/internal/core/zone"
	"upperpath.example/upperpath/internal/files"
)

// estateOf reads an estate file of n.example and old.example, which a server g carries.
func estateOf(old string) *estate.Estate {
	dir, err := os.MkdirTemp("", "example-")
	if err != nil {
		panic(err)
	}
	defer os.RemoveAll(dir)
	path := filepath.Join(dir, "upperpath.yaml")
	text := "canonical: https://www.n.example\n" +
		"carriers: {g: {by: server, addresses: [203.0.113.20]}}\n" +
		"defaults: {carrier: g}\ndomains: [{name: n.example, state: leave}, " + old + "]\n"
	if err := os.WriteFile(path, []byte(text), 0o600); err != nil {
		panic(err)
	}
	e, err := files.ReadEstate(path)
	if err != nil {
		panic(err)
	}
	return e.Estate
}

// seenOf is a survey that saw records of old.example such as "www CNAME @".
func seenOf(lines ...string) *survey.Survey {
	d := survey.Domain{Name: "old.example", Source: survey.File}
	for _, l := range lines {
		f := strings.SplitN(l, " ", 3)
		name, err := record.Name(f[0], d.Name)
		if err != nil {
			panic(err)
		}
		words := strings.Fields(f[2])
		if last := &words[len(words)-1]; record.Refers(f[1]) && !strings.Contains(*last, ".") {
			*last, err = record.Name(*last, d.Name)
		}
		value, _ := record.Value(f[1], strings.Join(words, " "))
		if value == "" || err != nil {
			value = f[2]
		}
		d.Records = append(d.Records, record.Set{Name: name, Type: f[1], TTL: 3600,
			Values: []string{value}})
	}
	return &survey.Survey{Started: time.Date(2026, 11, 1, 12, 0, 0, 0, time.UTC),
		Domains: []survey.Domain{d}}
}

// made works the zone of old.example out.
func made(old string, lines ...string) (zone.Zone, zone.Made) {
	e := estateOf(old)
	known := zone.Known{Estate: e, Survey: seenOf(lines...)}
	all := zone.Make(known, zone.SurveysOf(known), e.Domains[1:])
	return all.Zones[0], all
}

// told gives changes as somebody reads them, what stays left out.
func told(z zone.Zone) []string {
	var all []string
	for _, c := range z.Changes {
		if c.Action != act.Keep {
			all = append(all, fmt.Sprintf("%d %s %s %s %v > %v", c.Step, c.Action, c.Name, c.Type,
				c.Before, c.After))
		}
	}
	return all
}

// Mail that is handed to a door gets a name of its own, with the address that it has today, before
// the door moves.
func ExampleMake() {
	z, _ := made("old.example", "@ A 198.51.100.4", "www CNAME @", "@ MX 10 www")
	for _, line := range told(z) {
		fmt.Println(line)
	}
	// Output:
	// 1 add mail.old.example A [] > [198.51.100.4]
	// 2 replace old.example MX [10 www.old.example] > [10 mail.old.example]
	// 3 replace old.example A [198.51.100.4] > [203.0.113.20]
}
