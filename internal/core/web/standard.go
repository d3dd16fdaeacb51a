package web

import (
	"net/netip"
	"strconv"
	"strings"
	"unicode/utf8"

	"github.com/nlnwa/whatwg-url/url"
	"upperpath.example/upperpath/internal/core/fact"
)

// standard reads URLs as the URL Standard says (url.spec.whatwg.org), which is how browsers read
// them.
var standard = url.NewParser()

// Resolve gives the URL that a reference, such as the value of a Location header, leads to from u,
// as the URL Standard says (section 4.4, the basic URL parser). oddity says in words what a browser
// had to mend, "" where nothing. An error is an *Error: nothing that a browser would follow. User
// names and passwords are left out.
func (u URL) Resolve(reference string) (next URL, oddity fact.Facts, err error) {
	if next, plain := u.plain(reference); plain {
		return next, nil, nil
	}
	fail := func(fault fact.Facts) (URL, fact.Facts, error) {
		return URL{}, nil, &Error{Kind: "URL", Value: MaskedReference(reference), Fault: fault}
	}
	if len(reference) > MostURL {
		return fail(fact.URLTooLong{})
	}
	trimmed := strings.TrimFunc(reference, func(r rune) bool { return r <= ' ' })
	if trimmed == "" {
		return fail(fact.URLEmpty{})
	}
	parsed, err := standard.ParseRef(u.String(), escapeRaw(trimmed))
	if err != nil {
		return fail(fact.URLNone{})
	}
	d := Door{Scheme: Scheme(parsed.Scheme())}
	if d.Scheme != HTTP && d.Scheme != HTTPS {
		return fail(fact.URLScheme{})
	}
	if d.Host, err = hostOfStandard(parsed.Hostname()); err != nil {
		return fail(fact.URLHost{})
	}
	if port := parsed.DecodedPort(); port != int(d.Scheme.Port()) {
		d.Port = uint16(port) // the standard's parser takes none above 65535
	}
	if d.Port == 0 && parsed.Port() == "0" {
		return fail(fact.URLPort{})
	}
	return d.URL(parsed.Pathname(), strings.TrimPrefix(parsed.Search(), "?")),
		oddityOf(trimmed, parsed), nil
}

// plain reads what needs no mending: a path from the root, or an absolute URL of small letters.
func (u URL) plain(reference string) (URL, bool) {
	if len(reference) > 1 && reference[0] == '/' && reference[1] != '/' {
		r, plain := SplitRaw("http://a" + reference)
		if !plain || strings.ContainsAny(r.Query, `'"<>`) || strings.ContainsAny(r.Path, "\"<>`{}^|") {
			return URL{}, false
		}
		return URL{u.door, r.Path, r.Query}, true
	}
	reference, port, ok := withoutPort(reference)
	if !ok {
		return URL{}, false
	}
	r, plain := SplitRaw(reference)
	if !plain || !plainName(r.Host) || strings.ContainsAny(r.Query, `'"<>`) ||
		strings.ContainsAny(r.Path, "\"<>`{}^|") {
		return URL{}, false
	}
	if port == r.Scheme.Port() {
		port = 0
	}
	return URL{Door{Scheme: r.Scheme, Host: Host{r.Host}, Port: port}, r.Path, r.Query}, true
}

// withoutPort gives an absolute URL without the port that it names, and that port; 0 where it names
// none. It is false where the port needs a closer look.
func withoutPort(reference string) (string, uint16, bool) {
	start := strings.Index(reference, "://")
	if start < 0 {
		return reference, 0, true
	}
	start += len("://")
	end := len(reference)
	if i := strings.IndexAny(reference[start:], "/?#"); i >= 0 {
		end = start + i
	}
	colon := strings.LastIndexByte(reference[start:end], ':')
	if colon < 0 {
		return reference, 0, true
	}
	n, err := strconv.ParseUint(reference[start+colon+1:end], 10, 16)
	if err != nil || n == 0 || strings.ContainsAny(reference[start:start+colon], ":[]@") {
		return reference, 0, false
	}
	return reference[:start+colon] + reference[end:], uint16(n), true
}

// plainName reports whether a name in small letters is certainly one that needs no reading: no
// number, no A-label, no label that is empty or too long.
func plainName(name string) bool {
	last := name[strings.LastIndexByte(name, '.')+1:]
	return last != "" && (last[0] < '0' || last[0] > '9') && !strings.Contains(name, "xn--") &&
		len(name) <= 253 &&
		!longLabel(name)
}

// escapeRaw percent-encodes the octets that are not UTF-8, as browsers do with what stands in a
// header.
func escapeRaw(s string) string {
	if utf8.ValidString(s) {
		return s
	}
	b := make([]byte, 0, len(s)+16)
	for i := range len(s) {
		if s[i] >= 0x80 {
			b = appendEscaped(b, s[i])
		} else {
			b = append(b, s[i])
		}
	}
	return string(b)
}

// hostOfStandard takes a host that the standard's parser has read.
func hostOfStandard(name string) (Host, error) {
	if inner, is := strings.CutPrefix(name, "["); is {
		a, err := netip.ParseAddr(strings.TrimSuffix(inner, "]"))
		return Host{a.String()}, err
	}
	name = strings.TrimSuffix(name, ".")
	if name == "" || len(name) > 253 || longLabel(name) {
		return Host{},
			&Error{Kind: "host", Value: name, Fault: fact.HostUnknown{}}
	}
	return Host{name}, nil
}

// standardHost reads a host alone as the standard does.
func standardHost(s string) (Host, error) {
	parsed, err := standard.Parse("http://" + escapeRaw(s) + "/")
	if err != nil || parsed.Username() != "" || parsed.Password() != "" || parsed.Port() != "" ||
		parsed.Pathname() != "/" || parsed.Search() != "" || strings.ContainsAny(s, "\t\r\n/?#@\\") {
		return Host{},
			&Error{Kind: "host", Value: s, Fault: fact.HostRefused{}}
	}
	return hostOfStandard(parsed.Hostname())
}

// oddityOf tells what a browser had to mend in a reference, nil where nothing.
func oddityOf(reference string, parsed *url.Url) fact.Facts {
	beforeQuery, _, _ := strings.Cut(reference, "?")
	control := strings.IndexFunc(reference, func(r rune) bool {
		return r < ' ' && r != '\t' || r == 0x7f
	})
	outside := strings.IndexFunc(reference, func(r rune) bool { return r >= 0x80 })
	_, behind, _ := strings.Cut(reference, ":")
	switch {
	case parsed.Username() != "" || parsed.Password() != "":
		return fact.OddUser{}
	case control >= 0:
		return fact.OddControl{}
	case strings.Contains(reference, "\t"):
		return fact.OddTab{}
	case strings.Contains(reference, " "):
		return fact.OddSpace{}
	case outside >= 0:
		return fact.OddCharacter{}
	case strings.Contains(beforeQuery, `\`):
		return fact.OddBackslash{}
	case hasScheme(reference) &&
		(!strings.HasPrefix(behind, "//") || strings.HasPrefix(behind, "///")):
		return fact.OddSlashes{}
	case strings.HasPrefix(reference, "///"):
		return fact.OddManySlashes{}
	case hasScheme(reference) && parsed.IsIPv4() && !strings.Contains(reference, parsed.Hostname()):
		return fact.OddNumber{Host: parsed.Hostname()}
	}
	return nil
}

// portOf reads a port; "" is none, which is 0.
func portOf(s string) (uint16, bool) {
	if s == "" {
		return 0, true
	}
	n, err := strconv.ParseUint(s, 10, 16)
	return uint16(n), err == nil && n > 0
}
