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
	beside  bool  // it may stand beside an alias (RFC 2535 section 2.3.5, RFC 4034 section 2.5)

	// How a value is read that somebody shows; none where such records only stay as they are.
	fields int // 0: read decides
	read   func(string) (string, error)
	typed  bool // somebody types such values
}

// types is the table of record types, in the order of the registry (IANA, Resource Record TYPEs). A
// type that has no row stays as it is, with nothing in it that leads anywhere. What only a reader
// of texts finds (CAA, SPF, DMARC) is not here but in package survey.
var types = map[string]typeRow{
	"A":     {leads: true, address: true, read: address(netip.Addr.Is4), typed: true},
	"NS":    {names: []int{0}, refers: true, fields: 1, typed: true},
	"CNAME": {names: []int{0}, refers: true, leads: true, address: true, fields: 1, typed: true},
	// it ends with numbers; nobody shows one to be read
	"SOA":        {names: []int{0, 1}, read: text},
	"PTR":        {names: []int{0}, refers: true, fields: 1, typed: true},
	"MINFO":      {names: []int{0, 1}},
	"MX":         {names: []int{1}, refers: true, fields: 2, read: numbers(1), typed: true},
	"TXT":        {read: text, typed: true},
	"RP":         {names: []int{0, 1}},
	"AFSDB":      {names: []int{1}},
	"RT":         {names: []int{1}},
	"PX":         {names: []int{1, 2}},
	"AAAA":       {leads: true, address: true, read: address(netip.Addr.Is6), typed: true},
	"SRV":        {names: []int{3}, refers: true, fields: 4, read: numbers(3), typed: true},
	"NAPTR":      {names: []int{-1}, refers: true},
	"KX":         {names: []int{1}},
	"DNAME":      {names: []int{0}, refers: true},
	"DS":         {fields: 4, read: numbers(3), typed: true},
	"SSHFP":      {fields: 3, read: numbers(2), typed: true},
	"SIG":        {beside: true},
	"KEY":        {beside: true},
	"NXT":        {beside: true},
	"RRSIG":      {signing: true, beside: true},
	"NSEC":       {signing: true, beside: true},
	"DNSKEY":     {signing: true},
	"NSEC3":      {signing: true, beside: true},
	"NSEC3PARAM": {signing: true},
	"TLSA":       {fields: 4, read: numbers(3), typed: true},
	"CDS":        {signing: true},
	"CDNSKEY":    {signing: true},
	"SVCB":       {names: []int{1}, refers: true, read: service, typed: true},
	"HTTPS":      {names: []int{1}, refers: true, leads: true, read: service, typed: true},
	"CAA":        {read: caa, typed: true},
	"TYPE65534":  {signing: true}, // BIND's own note of its work
	Alias:        {names: []int{0}, leads: true},
}

// LeadsBrowsers reports whether a type decides where a browser goes.
func LeadsBrowsers(kind string) bool { return types[kind].leads }

// LeadsToAddress reports whether a resolver that asks for an address reads records of a type.
func LeadsToAddress(kind string) bool { return types[kind].address }

// IsSigning reports whether a type is made by signing the zone, and goes with it.
func IsSigning(kind string) bool { return types[kind].signing }

// BesideAlias reports whether a type may stand beside an alias.
func BesideAlias(kind string) bool { return types[kind].beside }

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
