// Package web holds the ground that everything stands on: hosts, doors and URLs, as small
// comparable values that cannot hold anything invalid.
//
// It does not ask anybody anything; what a URL answers is the business of the packages above.
//
//	h, err := web.ParseHost("Møllehuset.example")
//	h.String()  // "xn--mllehuset-l8a.example"
//	h.WWW()     // the host www below its apex
//
// # When two URLs are one
//
// Two URLs are one where RFC 3986 section 6.2.2 says so: case of scheme and host, needless
// percent-encoding, dot segments. %2F is not /, and // stays. web.URL holds what a browser would
// send; Key gives the normal form. Rules match in normal form and copy captures as they came.
// Servers decode paths and nginx's maps ignore case, so the writers look whole paths up by the
// decoded path only where decoding loses nothing, and check the case again. test/peers compares
// thousands of requests with the prediction, byte by byte.
package web

import (
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"golang.org/x/net/idna"
	"golang.org/x/net/publicsuffix"
	"upperpath.example/upperpath/internal/core/fact"
)

// Host is a host name in lower-case A-labels without a last dot, or an IP address. The zero value
// is no host. Hosts are compared with ==.
type Host struct{ name string }

// Error tells why a text is no host or no URL.
type Error struct {
	Kind  string // "host", "URL", ...
	Value string
	Fault fact.Facts // what is wrong with it, what was expected and what to write
}

func (e *Error) Error() string {
	said := fact.Say(e.Fault)
	s := fmt.Sprintf("%s %q: %s; expected %s", e.Kind, e.Value, said.Says, said.Expected)
	if said.Do != "" {
		s += " (" + said.Do + ")"
	}
	return s
}

// UTS 46, non-transitional, as browsers look names up; STD3 rules and the length limits of RFC 1035
// are asked for.
var strict = idna.New(idna.MapForLookup(), idna.StrictDomainName(true), idna.Transitional(false),
	idna.BidiRule(), idna.VerifyDNSLength(true))

// userHidden hides what stands before an @, which may be a password.
func userHidden(s string) string {
	if at := strings.LastIndexByte(s, '@'); at >= 0 {
		return "***" + s[at:]
	}
	return s
}

// ParseHost reads a host name as somebody writes it into an estate: U-labels or A-labels, at least
// two of them. A URL, a port, an underscore, an IP address or a bad label is an *Error that says
// what to write instead.
func ParseHost(s string) (Host, error) {
	fail := func(fault fact.Facts) (Host, error) {
		return Host{}, &Error{Kind: "host", Value: userHidden(s), Fault: fault}
	}
	trimmed := strings.TrimSpace(s)
	switch {
	case strings.Contains(trimmed, "@"):
		return fail(fact.HostWithUser{})
	case trimmed == "":
		return fail(fact.HostEmpty{})
	case strings.Contains(trimmed, "://"):
		rest := trimmed[strings.Index(trimmed, "://")+3:]
		end := strings.IndexAny(rest, "/?#:")
		if end < 0 {
			end = len(rest)
		}
		return fail(fact.HostIsURL{Host: rest[:end]})
	case strings.ContainsAny(trimmed, "/?#"):
		return fail(fact.HostWithPath{Host: trimmed[:strings.IndexAny(trimmed, "/?#")]})
	}
	if _, err := netip.ParseAddr(strings.Trim(trimmed, "[]")); err == nil {
		return fail(fact.HostIsAddress{})
	}
	if i := strings.LastIndexByte(trimmed, ':'); i >= 0 {
		return fail(fact.HostWithPort{Host: trimmed[:i]})
	}
	name, err := strict.ToASCII(strings.TrimSuffix(trimmed, "."))
	if again, notAgain := strict.ToASCII(name); err != nil || notAgain != nil || again != name {
		return fail(
			fact.HostBadLabel{},
		)
	}
	if last := name[strings.LastIndexByte(name, '.')+1:]; strings.Trim(last, "0123456789") == "" {
		return fail(fact.HostIsNumber{})
	}
	if !strings.Contains(name, ".") {
		return fail(fact.HostSingleLabel{Name: name})
	}
	return Host{name}, nil
}

// ParseObservedHost reads a host as the wire shows it, and as browsers read it (the URL Standard,
// section 3.5): underscores, single labels and IP addresses in all their notations (IPv6 with or
// without brackets) are taken as well.
func ParseObservedHost(s string) (Host, error) {
	name := strings.TrimSuffix(s, ".")
	if name != "" && !strings.ContainsFunc(name, notInHost) && plainName(name) {
		return Host{name}, nil
	}
	if a, err := netip.ParseAddr(strings.TrimSuffix(strings.TrimPrefix(s, "["), "]")); err == nil &&
		a.Zone() == "" {
		return Host{a.String()}, nil
	}
	return standardHost(s)
}

// MustParseHost is ParseObservedHost for tests and constants; it panics on an error.
func MustParseHost(s string) Host {
	h, err := ParseObservedHost(s)
	if err != nil {
		panic(err)
	}
	return h
}

func notInHost(r rune) bool {
	return !(r == '-' || r == '.' || r == '_' || r >= '0' && r <= '9' || r >= 'a' && r <= 'z')
}

func longLabel(name string) bool {
	for label := range strings.SplitSeq(name, ".") {
		if len(label) == 0 || len(label) > 63 {
			return true
		}
	}
	return false
}

// String gives the host as A-labels or as an address without brackets; "" for the zero value.
func (h Host) String() string { return h.name }

// IsZero reports whether this is no host.
func (h Host) IsZero() bool { return h.name == "" }

// Unicode gives the host as a person reads it: in U-labels where it has any, and where these hold
// nothing that cannot be seen, such as the joiners that some scripts use (RFC 5892 appendix A).
func (h Host) Unicode() string {
	if !strings.Contains(h.name, "xn--") {
		return h.name
	}
	u, err := idna.Display.ToUnicode(h.name)
	if err != nil || strings.ContainsAny(u, "\u200c\u200d") {
		return h.name
	}
	return u
}

// Address returns the IP address that the host is, if it is one.
func (h Host) Address() (netip.Addr, bool) {
	a, err := netip.ParseAddr(h.name)
	return a, err == nil
}

// Apex returns the registrable domain by the public suffix list, and false for an IP address or a
// public suffix.
func (h Host) Apex() (Host, bool) {
	if _, isAddress := h.Address(); isAddress || h.IsZero() {
		return Host{}, false
	}
	a, err := publicsuffix.EffectiveTLDPlusOne(h.name)
	if err != nil {
		return Host{}, false
	}
	return Host{a}, true
}

// Domain returns the registrable domain, and the host itself where it has none.
func (h Host) Domain() Host {
	if apex, ok := h.Apex(); ok {
		return apex
	}
	return h
}

// IsApex reports whether the host is a registrable domain itself.
func (h Host) IsApex() bool {
	a, ok := h.Apex()
	return ok && a == h
}

// IsEnding reports whether names end with a label: a public one, or one that is reserved for
// examples, tests and networks of one's own (RFC 2606, RFC 6761, RFC 6762, RFC 7686).
func IsEnding(label string) bool {
	if slices.Contains([]string{"example", "test", "invalid", "localhost", "local", "internal", "arpa",
		"onion", "lan", "home", "corp"}, label) {
		return true
	}
	_, known := publicsuffix.PublicSuffix("x." + label)
	return known
}

// WWW returns the host www below this one.
func (h Host) WWW() Host { return Host{"www." + h.name} }

// Star returns the wildcard below a domain (RFC 4592), which stands for every name there that has
// no records of its own. It is a name of records and certificates, and none that visitors type.
func (h Host) Star() Host { return Host{"*." + h.name} }

// IsStar reports whether a host is a wildcard.
func (h Host) IsStar() bool { return strings.HasPrefix(h.name, "*.") }

// Typed returns the host itself, or for a wildcard a made-up name that it stands for.
func (h Host) Typed() Host {
	if below, is := strings.CutPrefix(h.name, "*."); is {
		return Host{"any-other-name." + below}
	}
	return h
}

// Parent returns the name without its first label; the zero value for a single label.
func (h Host) Parent() Host {
	_, rest, _ := strings.Cut(h.name, ".")
	return Host{rest}
}

// Child returns the host with this label below h; an error where the label is none.
func (h Host) Child(label string) (Host, error) { return ParseHost(label + "." + h.name) }

// MarshalText gives the A-labels.
func (h Host) MarshalText() ([]byte, error) { return []byte(h.name), nil }

// UnmarshalText reads an observed host; the empty text is the zero value.
func (h *Host) UnmarshalText(text []byte) error {
	if len(text) == 0 {
		*h = Host{}
		return nil
	}
	parsed, err := ParseObservedHost(string(text))
	*h = parsed
	return err
}
