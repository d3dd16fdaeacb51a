package estate

import (
	"net/netip"
	"slices"
	"strconv"
	"strings"
	"time"

	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/web"
)

// How the records of a place are sent there.
const (
	SendUpdate  = "update"  // DNS UPDATE (RFC 2136), signed (RFC 8945)
	SendProgram = "program" // a program of the user's own
	SendFile    = "file"    // zone files in a folder
)

var sendWords = []string{SendUpdate, SendProgram, SendFile}

var placeKeys = []Key{
	{"places", "send", "text", sendWords, "", "update"},
	{"places", "server", "text", nil, "", "ns1.registrar-a.example"},
	{"places", "key", "text", nil, "", "update.key"},
	{"places", "run", "list of text", nil, "", `["./my-provider", "museums"]`},
	{"places", "env", "list of text", nil, "", "[PROVIDER_TOKEN]"},
	{"places", "path", "path", nil, "", "zones"},
	{"places", "timeout", "time", nil, "60s", "2m"},
}

// SendTimeout is how long an answer of a place is waited for, where the estate file says nothing.
const SendTimeout = time.Minute

// Place says how what is typed at a place, which records-at: names, is sent there.
type Place struct {
	Send    string        // one of the Send constants
	Server  string        // of update: HOST or HOST:PORT
	Key     string        // of update: a file, relative to the estate file, or env:NAME; "": unsigned
	Run     []string      // of program: its file, relative to the estate file, and what it is told
	Env     []string      // of program: names in the environment that it is given too
	Path    string        // of file: the folder of the zone files, relative to the estate file
	Timeout time.Duration // for an answer
}

// ServerHost gives the name or address of the name server to which updates go, and its port. The
// error is a fact.PlaceServer.
func (p Place) ServerHost() (string, uint16, error) {
	host, port := p.Server, uint64(53)
	name, text, has := strings.Cut(p.Server, ":")
	switch a, err := netip.ParseAddrPort(p.Server); {
	case err == nil:
		host, port = a.Addr().String(), uint64(a.Port())
	case has && !strings.Contains(text, ":"): // not an IPv6 address
		if port, err = strconv.ParseUint(text, 10, 16); err != nil || port == 0 {
			return "", 0, fact.Err(fact.PlaceServer{})
		}
		host = name
	}
	if a, err := netip.ParseAddr(host); err == nil {
		return a.String(), uint16(port), nil
	}
	h, err := web.ParseHost(host)
	if err != nil {
		return "", 0, fact.Err(fact.PlaceServer{})
	}
	return h.String(), uint16(port), nil
}

func (b *builder) places(n *Node) {
	if n.Kind != Mapping {
		b.fail(n, fact.PlacesShape{Kind: n.Kind.String()})
		return
	}
	b.estate.Places = map[string]Place{}
	for _, e := range n.Entries {
		b.estate.Places[e.Key.Text] = b.place(e.Key.Text, e.Value)
	}
}

func (b *builder) place(name string, n *Node) Place {
	p := Place{Timeout: SendTimeout}
	given := map[string]*Node{}
	text := func(key string, into *string) field {
		return field{key, func(n *Node) { given[key], *into = n, b.text(n, "places: "+key) }}
	}
	list := func(key string, into *[]string) field {
		return field{key, func(n *Node) {
			given[key] = n
			b.list(n, "places: "+key, func(i *Node) { *into = append(*into, b.text(i, key)) })
		}}
	}
	b.mapping(n, "a place",
		field{"send", func(n *Node) {
			given["send"], p.Send = n, b.oneOf(n, "places: send", sendWords...)
		}},
		text("server", &p.Server), text("key", &p.Key), list("run", &p.Run), list("env", &p.Env),
		text("path", &p.Path),
		field{"timeout", func(n *Node) { p.Timeout = b.duration(n, "places: timeout") }},
	)
	needs := map[string][]string{SendUpdate: {"server"}, SendProgram: {"run"}, SendFile: {"path"}}
	may := map[string][]string{SendUpdate: {"server", "key"}, SendProgram: {"run", "env"},
		SendFile: {"path"}}
	if p.Send == "" {
		if given["send"] == nil && n.Kind == Mapping {
			b.fail(n, fact.PlaceSend{Place: name})
		}
		return p
	}
	for _, key := range needs[p.Send] {
		if given[key] == nil {
			b.fail(n, fact.PlaceLacks{Place: name, Send: p.Send, Key: key})
		}
	}
	for _, key := range []string{"server", "key", "run", "env", "path"} {
		if at := given[key]; at != nil && !slices.Contains(may[p.Send], key) {
			b.fail(at, fact.PlaceKey{Send: p.Send, Key: key})
		}
	}
	if p.Server != "" {
		if _, _, err := p.ServerHost(); err != nil {
			b.fail(given["server"], fact.PlaceServer{})
		}
	}
	// a key is never written down in the estate file itself
	if p.Key != "" && (strings.ContainsAny(p.Key, " \t\n") || strings.HasSuffix(p.Key, "==") ||
		strings.HasPrefix(p.Key, "hmac-")) {
		b.fail(given["key"], fact.PlaceSecret{})
	}
	return p
}
