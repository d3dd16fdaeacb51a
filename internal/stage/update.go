package stage

import (
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/netip"
	"slices"
	"strings"
	"time"

	"github.com/miekg/dns"

	"upperpath.example/upperpath/internal/core/web"
)

// UpdateKey is a key with which a name server takes updates (RFC 8945), by hmac-sha256.
type UpdateKey struct{ Name, Secret string }

// Provider is a small provider whose zones are changed over an HTTP interface of its own, which a
// program speaks: GET and PATCH of /zones/NAME, in JSON, with a token. docs/carrying.md says how.
type Provider struct {
	At    netip.AddrPort
	Token string
	Zones []string // origins, with their last dot
}

// change changes the records of a zone at the name server at an address, or, without one, as the
// world's resolvers know it: edit gives what they become, and a code. Copies elsewhere that were
// the same follow, as secondaries do.
func (s *Stage) change(origin string, at netip.Addr, edit func([]dns.RR) ([]dns.RR, int)) int {
	s.editing.Lock()
	defer s.editing.Unlock()
	before, found := recordsIn(s.playing.Zones, origin)
	if n := s.playing.NameServers[at]; n != nil {
		before, found = recordsIn(n.Zones, origin)
	}
	if !found {
		return dns.RcodeNotAuth
	}
	after, code := edit(slices.Clone(before))
	if code != dns.RcodeSuccess || sameRecords(before, after) {
		return code
	}
	after = raised(after)
	turn := func(all []Zone) []Zone {
		turned := slices.Clone(all)
		for i, z := range turned {
			if strings.EqualFold(z.Origin, origin) && sameRecords(z.Records, before) {
				turned[i].Records = after
			}
		}
		return turned
	}
	scene := s.playing
	scene.Zones = turn(scene.Zones)
	servers := map[netip.Addr]*NameServer{}
	for a, n := range scene.NameServers {
		c := *n
		c.Zones = turn(n.Zones)
		servers[a] = &c
	}
	scene.NameServers = servers
	if s.setNames(scene) != nil {
		return dns.RcodeServerFailure
	}
	return dns.RcodeSuccess
}

func recordsIn(all []Zone, origin string) ([]dns.RR, bool) {
	for _, z := range all {
		if strings.EqualFold(z.Origin, origin) {
			return z.Records, true
		}
	}
	return nil, false
}

// Playing gives the scene as it is by now: with what was changed since it began.
func (s *Stage) Playing() Scene {
	s.editing.Lock()
	defer s.editing.Unlock()
	return s.playing
}

func sameRecords(a, b []dns.RR) bool {
	if len(a) != len(b) {
		return false
	}
	if len(a) > 0 && &a[0] == &b[0] {
		return true
	}
	texts := func(all []dns.RR) []string {
		var t []string
		for _, rr := range all {
			t = append(t, rr.String())
		}
		slices.Sort(t)
		return t
	}
	return slices.Equal(texts(a), texts(b))
}

// raised gives records with the next serial.
func raised(all []dns.RR) []dns.RR {
	for i, rr := range all {
		if soa, is := rr.(*dns.SOA); is {
			c := dns.Copy(soa).(*dns.SOA)
			c.Serial++
			all[i] = c
		}
	}
	return all
}

// update answers a DNS UPDATE (RFC 2136): it is taken where it is signed with the server's key, and
// what has to be there before is.
func (s *Stage) update(at netip.Addr, n *NameServer, w dns.ResponseWriter, question *dns.Msg) {
	answer := new(dns.Msg)
	answer.SetReply(question)
	answer.Opcode = dns.OpcodeUpdate
	t := question.IsTsig()
	switch {
	case n.Key == nil:
		answer.Rcode = dns.RcodeRefused
	case t == nil:
		answer.Rcode = dns.RcodeRefused
	case w.TsigStatus() != nil || !strings.EqualFold(t.Hdr.Name, dns.Fqdn(n.Key.Name)):
		answer.Rcode = dns.RcodeNotAuth
	case len(question.Question) != 1 || question.Question[0].Qtype != dns.TypeSOA:
		answer.Rcode = dns.RcodeFormatError
	default:
		origin := strings.ToLower(question.Question[0].Name)
		answer.Rcode = s.change(origin, at, func(records []dns.RR) ([]dns.RR, int) {
			if code := prerequisites(origin, records, question.Answer); code != dns.RcodeSuccess {
				return nil, code
			}
			return updated(origin, records, question.Ns)
		})
	}
	signReply(n, w, question, answer)
	_ = w.WriteMsg(answer)
}

// signReply signs an answer where the question was signed well.
func signReply(n *NameServer, w dns.ResponseWriter, question, answer *dns.Msg) {
	t := question.IsTsig()
	if t == nil || n.Key == nil || w.TsigStatus() != nil {
		return
	}
	answer.SetTsig(t.Hdr.Name, t.Algorithm, 300, time.Now().Unix())
}

// prerequisites says whether what has to be there before is (RFC 2136 section 3.2).
func prerequisites(origin string, records, wanted []dns.RR) int {
	type set struct {
		name string
		kind uint16
	}
	whole := map[set][]dns.RR{}
	at := func(name string, kind uint16) (all []dns.RR) {
		for _, rr := range records {
			if strings.EqualFold(rr.Header().Name, name) && (kind == dns.TypeANY ||
				rr.Header().Rrtype == kind) {
				all = append(all, rr)
			}
		}
		return all
	}
	for _, rr := range wanted {
		h := rr.Header()
		if !dns.IsSubDomain(origin, h.Name) {
			return dns.RcodeNotZone
		}
		there := len(at(h.Name, h.Rrtype)) > 0
		switch {
		case h.Class == dns.ClassANY && h.Rrtype == dns.TypeANY && !there:
			return dns.RcodeNameError
		case h.Class == dns.ClassANY && !there:
			return dns.RcodeNXRrset
		case h.Class == dns.ClassNONE && h.Rrtype == dns.TypeANY && there:
			return dns.RcodeYXDomain
		case h.Class == dns.ClassNONE && there:
			return dns.RcodeYXRrset
		case h.Class == dns.ClassINET:
			key := set{strings.ToLower(h.Name), h.Rrtype}
			whole[key] = append(whole[key], rr)
		}
	}
	for key, all := range whole {
		have := at(key.name, key.kind)
		if len(have) != len(all) {
			return dns.RcodeNXRrset
		}
		for _, rr := range all {
			if !slices.ContainsFunc(have, func(o dns.RR) bool { return dns.IsDuplicate(rr, o) }) {
				return dns.RcodeNXRrset
			}
		}
	}
	return dns.RcodeSuccess
}

// updated gives records as an update makes them (RFC 2136 section 3.4).
func updated(origin string, records, changes []dns.RR) ([]dns.RR, int) {
	for _, rr := range changes {
		h := rr.Header()
		if !dns.IsSubDomain(origin, h.Name) {
			return nil, dns.RcodeNotZone
		}
		apex := strings.EqualFold(h.Name, origin)
		own := func(o dns.RR) bool { // what an update never takes away
			k := o.Header().Rrtype
			return apex && (k == dns.TypeSOA || k == dns.TypeNS)
		}
		is := func(o dns.RR) bool { return strings.EqualFold(o.Header().Name, h.Name) }
		switch h.Class {
		case dns.ClassANY:
			records = slices.DeleteFunc(records, func(o dns.RR) bool {
				return is(o) && !own(o) && (h.Rrtype == dns.TypeANY || o.Header().Rrtype == h.Rrtype)
			})
		case dns.ClassNONE:
			c := dns.Copy(rr)
			c.Header().Class = dns.ClassINET
			records = slices.DeleteFunc(records, func(o dns.RR) bool {
				return h.Rrtype != dns.TypeSOA && dns.IsDuplicate(c, o)
			})
		default:
			records = added(records, rr, is)
		}
	}
	return records, dns.RcodeSuccess
}

// added adds a record, unless an alias stands there, or it is one and something else does.
func added(records []dns.RR, rr dns.RR, is func(dns.RR) bool) []dns.RR {
	kind := rr.Header().Rrtype
	for i, o := range records {
		switch {
		case !is(o):
		case dns.IsDuplicate(o, rr):
			records[i] = rr
			return records
		case kind == dns.TypeCNAME && o.Header().Rrtype == dns.TypeCNAME:
			records[i] = rr
			return records
		case (kind == dns.TypeCNAME) != (o.Header().Rrtype == dns.TypeCNAME):
			return records
		}
	}
	for i, o := range records { // one TTL for a set
		if is(o) && o.Header().Rrtype == kind {
			c := dns.Copy(o)
			c.Header().Ttl = rr.Header().Ttl
			records[i] = c
		}
	}
	return append(records, rr)
}

// providerSet is a set as the provider's interface has it.
type providerSet struct {
	Name   string   `json:"name"`
	Type   string   `json:"type"`
	TTL    uint32   `json:"ttl,omitempty"`
	Values []string `json:"values"` // null or empty: it goes
}

// mostBody is how many octets the provider reads.
const mostBody = 4 << 20

// visit answers the provider's interface.
func (p *Provider) visit(s *Stage) func(web.URL, *http.Request) Reply {
	say := func(status int, v any) Reply {
		text, err := json.Marshal(v)
		if err != nil {
			return Reply{Status: http.StatusInternalServerError}
		}
		return Reply{Status: status, HTML: string(text) + "\n",
			Headers: map[string]string{"Content-Type": "application/json"}}
	}
	wrong := func(status int, says string) Reply {
		return say(status, map[string]string{"says": says})
	}
	return func(u web.URL, r *http.Request) Reply {
		zone, is := strings.CutPrefix(u.Path(), "/zones/")
		origin := dns.Fqdn(strings.ToLower(zone))
		switch {
		case r.Header.Get("Authorization") != "Bearer "+p.Token:
			return wrong(http.StatusUnauthorized, "this token is not known")
		case !is || !slices.Contains(p.Zones, origin):
			return wrong(http.StatusNotFound, "there is no such zone")
		}
		var records []dns.RR
		version := func(all []dns.RR) string {
			for _, rr := range all {
				if soa, is := rr.(*dns.SOA); is {
					return fmt.Sprint(soa.Serial)
				}
			}
			return ""
		}
		read := func(all []dns.RR) ([]dns.RR, int) {
			records = all
			return all, dns.RcodeSuccess
		}
		switch r.Method {
		case http.MethodGet:
			s.change(origin, netip.Addr{}, read)
		case http.MethodPatch:
			var body struct {
				Version string        `json:"version"`
				Sets    []providerSet `json:"sets"`
			}
			text, err := io.ReadAll(io.LimitReader(r.Body, mostBody))
			if err != nil || json.Unmarshal(text, &body) != nil {
				return wrong(http.StatusBadRequest, "this is not what is asked for")
			}
			old := false
			code := s.change(origin, netip.Addr{}, func(all []dns.RR) ([]dns.RR, int) {
				if old = version(all) != body.Version; old {
					return all, dns.RcodeSuccess
				}
				return patched(origin, all, body.Sets)
			})
			switch {
			case old:
				return wrong(http.StatusPreconditionFailed, "the zone has another version")
			case code != dns.RcodeSuccess:
				return wrong(http.StatusUnprocessableEntity, "a record cannot be read")
			}
			s.change(origin, netip.Addr{}, read)
		default:
			return wrong(http.StatusMethodNotAllowed, "GET or PATCH is expected")
		}
		return say(http.StatusOK, map[string]any{"zone": strings.TrimSuffix(origin, "."),
			"version": version(records), "sets": providerSets(records)})
	}
}

// patched gives records with some sets in place of those before.
func patched(origin string, records []dns.RR, sets []providerSet) ([]dns.RR, int) {
	for _, set := range sets {
		name := dns.Fqdn(strings.ToLower(set.Name))
		kind, known := dns.StringToType[set.Type]
		if !known || kind == dns.TypeSOA || !dns.IsSubDomain(origin, name) {
			return nil, dns.RcodeFormatError
		}
		records = slices.DeleteFunc(records, func(rr dns.RR) bool { return isSet(rr, name, kind) })
		for _, v := range set.Values {
			rr, err := dns.NewRR(fmt.Sprintf("%s %d IN %s %s", name, set.TTL, set.Type, v))
			if err != nil || rr == nil {
				return nil, dns.RcodeFormatError
			}
			records = append(records, rr)
		}
	}
	return records, dns.RcodeSuccess
}

func providerSets(records []dns.RR) []providerSet {
	var all []providerSet
	for _, rr := range records {
		h := rr.Header()
		name, kind := strings.TrimSuffix(strings.ToLower(h.Name), "."), dns.TypeToString[h.Rrtype]
		value := strings.TrimSpace(strings.TrimPrefix(rr.String(), h.String()))
		at := slices.IndexFunc(all, func(s providerSet) bool { return s.Name == name && s.Type == kind })
		if at < 0 {
			at = len(all)
			all = append(all, providerSet{Name: name, Type: kind, TTL: h.Ttl})
		}
		all[at].Values = append(all[at].Values, value)
	}
	return all
}
