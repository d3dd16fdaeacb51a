package record

import (
	"net/netip"
	"strings"
)

// typeRow is all that is asked of a record type.
type typeRow struct {
	names   []int // which fields are names, from 0; -1: the last
	refers  bool  // what the first of these names leads to matters to whoever asks
	leads   bool  // browsers go by it
	address bool  // who asks for an address meets it
	signing bool  // it is made by signing the zone, and goes with it

	// How a value is read that somebody shows; none where such records only stay as they are.
	fields int // 0: read decides
	read   func(string) (string, error)
	form   string // what a value looks like
}

// types is the table of record types, in the order of the registry (IANA, Resource Record TYPEs). A
// type that has no row stays as it is, with nothing in it that leads anywhere. What only a reader
// of texts finds (CAA, SPF, DMARC) is not here but in package survey.
var types = map[string]typeRow{
	"A": {leads: true, address: true, read: address(netip.Addr.Is4),
		form: "an IPv4 address such as 203.0.113.10"},
	"NS": {names: []int{0}, refers: true, fields: 1,
		form: "the name of a name server, such as ns1.edge.example"},
	"CNAME": {names: []int{0}, refers: true, leads: true, address: true, fields: 1,
		form: "the name that it leads to, such as sites.platform.example"},
	"SOA":   {names: []int{0, 1}, read: text}, // it ends with numbers; nobody shows one to be read
	"PTR":   {names: []int{0}, refers: true, fields: 1, form: "a name"},
	"MINFO": {names: []int{0, 1}},
	"MX": {names: []int{1}, refers: true, fields: 2, read: numbers(1),
		form: "a preference and a name, such as 10 mx1.mail.example"},
	"TXT":   {read: text, form: "a text"},
	"RP":    {names: []int{0, 1}},
	"AFSDB": {names: []int{1}},
	"RT":    {names: []int{1}},
	"PX":    {names: []int{1, 2}},
	"AAAA": {leads: true, address: true, read: address(netip.Addr.Is6),
		form: "an IPv6 address such as 2001:db8:10::10"},
	"SRV": {names: []int{3}, refers: true, fields: 4, read: numbers(3),
		form: "priority, weight, port and a name, such as 0 5 443 www.northmoor.example"},
	"NAPTR":      {names: []int{-1}, refers: true},
	"KX":         {names: []int{1}},
	"DNAME":      {names: []int{0}, refers: true},
	"DS":         {fields: 4, read: numbers(3), form: "key tag, algorithm, digest type and digest"},
	"SSHFP":      {fields: 3, read: numbers(2), form: "algorithm, type and fingerprint"},
	"RRSIG":      {signing: true},
	"NSEC":       {signing: true},
	"DNSKEY":     {signing: true},
	"NSEC3":      {signing: true},
	"NSEC3PARAM": {signing: true},
	"TLSA": {fields: 4, read: numbers(3),
		form: "usage, selector, matching type and data, such as 3 1 1 0d6f..."},
	"CDS":     {signing: true},
	"CDNSKEY": {signing: true},
	"SVCB": {names: []int{1}, refers: true, read: service,
		form: "a priority and a target, such as 1 . alpn=h2"},
	"HTTPS": {names: []int{1}, refers: true, leads: true, read: service,
		form: "a priority and a target, such as 1 . alpn=h2"},
	"CAA":       {read: caa, form: `a flag, a tag and a value, such as 0 issue "ca.example"`},
	"TYPE65534": {signing: true}, // BIND's own note of its work
	Alias:       {names: []int{0}, leads: true},
}

// LeadsBrowsers reports whether a type decides where a browser goes.
func LeadsBrowsers(kind string) bool { return types[kind].leads }

// LeadsToAddress reports whether a resolver that asks for an address reads records of a type.
func LeadsToAddress(kind string) bool { return types[kind].address }

// IsSigning reports whether a type is made by signing the zone, and goes with it.
func IsSigning(kind string) bool { return types[kind].signing }

// NamesAt says which fields of a type's values are names, from 0; -1 stands for the last.
func NamesAt(kind string) []int { return types[kind].names }

// Refers reports whether a value of a type leads whoever asks to a name (Names).
func Refers(kind string) bool { return types[kind].refers }

// Names gives the names in a value as a zone file has it, in lower case without their last dots.
// "." is no name.
func Names(kind, value string) []string {
	var all []string
	f := strings.Fields(value)
	for _, i := range types[kind].names {
		if i < 0 {
			i += len(f)
		}
		if i < 0 || i >= len(f) {
			continue
		}
		if name := strings.ToLower(strings.TrimSuffix(f[i], ".")); name != "" {
			all = append(all, name)
		}
	}
	return all
}

// endsInName reports whether a value of a type ends with a name.
func endsInName(kind string) bool {
	row := types[kind]
	if len(row.names) == 0 || row.read != nil && row.fields == 0 {
		return false
	}
	last := row.names[len(row.names)-1]
	return last < 0 || row.fields == 0 || last == row.fields-1
}
