package web

import (
	"cmp"
	"strconv"
	"strings"
)

// Scheme is http or https.
type Scheme string

// The two schemes that a visitor comes in by.
const (
	HTTP  Scheme = "http"
	HTTPS Scheme = "https"
)

// Port returns the scheme's port where a URL names none.
func (s Scheme) Port() uint16 {
	if s == HTTPS {
		return 443
	}
	return 80
}

// Door is one scheme and host that a visitor can come in by; with a port other than the scheme's it
// is an origin in the sense of RFC 6454. The zero value is no door.
type Door struct {
	Scheme Scheme
	Host   Host
	Port   uint16 // 0: the scheme's own
}

// IsZero reports whether this is no door.
func (d Door) IsZero() bool { return d.Host.IsZero() }

// String gives the door as the start of a URL, such as "https://www.northmoor.example".
func (d Door) String() string {
	if d.IsZero() {
		return ""
	}
	return string(d.Scheme) + "://" + d.Authority()
}

// Authority returns the host as it stands in a URL, with the port where it is not the scheme's own.
func (d Door) Authority() string {
	name := d.Host.String()
	if strings.IndexByte(name, ':') >= 0 {
		name = "[" + name + "]"
	}
	if d.Port != 0 {
		name += ":" + strconv.Itoa(int(d.Port))
	}
	return name
}

// PortNumber returns the port that is dialled.
func (d Door) PortNumber() uint16 { return cmp.Or(d.Port, d.Scheme.Port()) }

// URL returns the URL with this path and query on the door. The path may be given raw; "" is "/".
// The query is given without its question mark.
func (d Door) URL(path, query string) URL {
	return URL{door: d, path: cleanPath(path), query: cleanQuery(query)}
}

// Written writes a URL of the door as a Location header has it: as URL does, but with the segments
// of dots that a path came to hold, which browsers resolve.
func (d Door) Written(path, query string) string {
	path = encodeUnsendable(strings.ReplaceAll(path, `\`, "/"), barredInPath)
	if query = cleanQuery(query); query != "" {
		path += "?" + query
	}
	return d.String() + path
}

// Doors returns the two doors of a host, http first.
func Doors(h Host) [2]Door { return [2]Door{{Scheme: HTTP, Host: h}, {Scheme: HTTPS, Host: h}} }

// MarshalText gives the same as String.
func (d Door) MarshalText() ([]byte, error) { return []byte(d.String()), nil }

// UnmarshalText reads a door as String gives it.
func (d *Door) UnmarshalText(text []byte) error {
	if len(text) == 0 {
		*d = Door{}
		return nil
	}
	u, err := ParseURL(string(text))
	*d = u.door
	return err
}
