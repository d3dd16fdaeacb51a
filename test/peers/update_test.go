package peers

import (
	"context"
	"fmt"
	"math/rand/v2"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/miekg/dns"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"upperpath.example/upperpath/internal/core/record"
	"upperpath.example/upperpath/internal/core/send"
	"upperpath.example/upperpath/internal/live"
)

const updateZone = `$ORIGIN %[1]s.
$TTL 3600
@ IN SOA ns1 hostmaster 2026110101 7200 3600 1209600 300
@ IN NS ns1
@ IN A 192.0.2.10
@ IN MX 10 mx1.mail.example.
@ IN TXT "v=spf1 -all"
ns1 IN A 127.0.0.1
www IN CNAME %[1]s.
shop 600 IN A 192.0.2.11
shop 600 IN A 192.0.2.12
`

// updated is a name server that takes updates.
type updated struct {
	*nameServers
	name, at string
	process  *exec.Cmd
}

// startUpdated starts knot or bind with zones that take updates with a key; signed.example is
// signed.
func startUpdated(t *testing.T, name string) *updated {
	t.Helper()
	u := &updated{nameServers: &nameServers{t: t, dir: t.TempDir()}, name: name, at: freePort(t)}
	for _, zone := range []string{"moved.example", "signed.example"} {
		u.write("zones/"+zone+".zone", fmt.Sprintf(updateZone, zone))
	}
	u.write("update.key", "key \"update.example\" {\n\talgorithm hmac-sha256; # as tools write it\n"+
		"\tsecret \""+secret+"\";\n};\n")
	u.write(
		"zones/example.zone",
		"$TTL 60\n@ IN SOA a.registry.example. h.registry.example. 1 3600 600 "+
			"86400 5\n@ IN NS a.registry\na.registry IN A 127.0.0.1\nmoved IN NS ns1.moved\n"+
			"ns1.moved IN A 127.0.0.1\nsigned IN NS ns1.signed\nns1.signed IN A 127.0.0.1\n"+
			"www.n IN A 192.0.2.9\n",
	)
	u.begin()
	return u
}

func (u *updated) begin() {
	binary := peer(u.t, map[string]string{"knot": "knotd", "bind": "named"}[u.name])
	run := filepath.Join(u.dir, "run")
	require.NoError(u.t, os.MkdirAll(run, 0o755))
	_, port, _ := strings.Cut(u.at, ":")
	var args []string
	if u.name == "knot" {
		args = []string{"-c", u.write("knot.conf", fmt.Sprintf(`server:
    rundir: %[1]q
    listen: 127.0.0.1@%[2]s
database:
    storage: %[1]q
key:
  - id: update.example
    algorithm: hmac-sha256
    secret: %[3]s
  - id: other.example
    algorithm: hmac-sha512
    secret: %[3]s
acl:
  - id: keyed
    key: [update.example, other.example]
    action: update
template:
  - id: default
    storage: %[4]q
    zonefile-sync: -1
    zonefile-load: difference-no-serial
    journal-content: all
zone:
  - domain: example
    file: example.zone
  - domain: moved.example
    file: moved.example.zone
    acl: keyed
  - domain: signed.example
    file: signed.example.zone
    acl: keyed
    dnssec-signing: on
`, run, port, secret, filepath.Join(u.dir, "zones")))}
	} else {
		args = []string{"-g", "-c", u.write("named.conf", fmt.Sprintf(`options {
	directory %[1]q;
	pid-file none; session-keyfile none; lock-file none;
	listen-on port %[2]s { 127.0.0.1; }; listen-on-v6 { none; };
	recursion no; dnssec-validation no; notify no;
	key-directory %[1]q; managed-keys-directory %[1]q;
};
controls { };
key "update.example" { algorithm hmac-sha256; secret %[3]q; };
key "other.example" { algorithm hmac-sha512; secret %[3]q; };
zone "example" { type primary; file "zones/example.zone"; };
zone "moved.example" { type primary; file "zones/moved.example.zone";
	allow-update { key update.example; key other.example; }; };
zone "signed.example" { type primary; file "zones/signed.example.zone";
	allow-update { key update.example; }; dnssec-policy default; inline-signing yes; };
`, u.dir, port, secret))}
	}
	u.process = exec.Command(binary, args...)
	u.start(u.process, u.at)
	// it listens a moment before it has its zones
	require.Eventually(
		u.t,
		func() bool { return len(u.sets("moved.example", "moved.example", "A")) > 0 },
		20*time.Second,
		20*time.Millisecond,
	)
}

// end has the server go away.
func (u *updated) end() {
	require.NoError(u.t, u.process.Process.Kill())
	_ = u.process.Wait()
}

// updater changes zones there.
func (u *updated) updater(key *live.TransferKey) *live.Updater {
	point, err := live.ParsePoint("ns1.moved.example:53=" + u.at)
	require.NoError(u.t, err)
	w, err := live.New(
		live.Vantage{Name: "here", Points: []live.Point{point}, Timeout: 5 * time.Second},
	)
	require.NoError(u.t, err)
	u.t.Cleanup(w.Close)
	return &live.Updater{
		Web:     w,
		Server:  "ns1.moved.example",
		Port:    53,
		Key:     key,
		Timeout: 5 * time.Second,
	}
}

var updateKey = &live.TransferKey{Name: "update.example", Algorithm: dns.HmacSHA256, Secret: secret}

// sets asks the server by the DNS library alone.
func (u *updated) sets(_, name, kind string) []string {
	m := new(dns.Msg)
	m.SetQuestion(dns.Fqdn(name), dns.StringToType[kind])
	c := dns.Client{Net: "tcp", Timeout: 2 * time.Second}
	answer, _, err := c.Exchange(m, u.at)
	if err != nil {
		return nil
	}
	var all []string
	for _, rr := range answer.Answer {
		if rr.Header().Rrtype == m.Question[0].Qtype {
			all = append(all, fmt.Sprintf("%d %s", rr.Header().Ttl, strings.TrimSpace(
				strings.TrimPrefix(rr.String(), rr.Header().String()))))
		}
	}
	slices.Sort(all)
	return all
}

func set(name, kind string, ttl int, values ...string) *record.Set {
	return &record.Set{Name: name, Type: kind, TTL: ttl, Values: values}
}

func change(before, after *record.Set) record.Change {
	s := before
	if s == nil {
		s = after
	}
	return record.Change{Name: s.Name, Type: s.Type, Before: before, After: after}
}

// quick is a clock on which nobody waits.
type quick struct{}

func (quick) Now() time.Time { return time.Date(2026, 12, 1, 21, 0, 0, 0, time.UTC) }

func (quick) Sleep(context.Context, time.Duration) {}

func carry(t *testing.T, p send.Place, tr send.Transfer) send.Entry {
	t.Helper()
	var kept []send.Outcome
	e, err := send.Carry(context.Background(), p, quick{}, send.Entry{Step: 1}, tr,
		func(e *send.Entry) error {
			kept = append(kept, e.Outcome)
			return nil
		})
	require.NoError(t, err)
	if e.Outcome == send.Sent {
		assert.Equal(t, []send.Outcome{send.Begun, send.Sent}, kept)
	}
	return e
}

func eachServer(t *testing.T, do func(t *testing.T, u *updated)) {
	t.Helper()
	for _, name := range []string{"knot", "bind"} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			do(t, startUpdated(t, name))
		})
	}
}

// TestUpdatesOfRealServers sends what steps send, and takes it back to the octet.
func TestUpdatesOfRealServers(t *testing.T) {
	eachServer(t, func(t *testing.T, u *updated) {
		for _, zone := range []string{"moved.example", "signed.example"} {
			p := u.updater(updateKey)
			kinds := map[string]string{zone: "A", "www." + zone: "CNAME", "shop." + zone: "A",
				"new." + zone: "TXT"}
			stands := func() (all []string) {
				for name, kind := range kinds {
					for _, k := range []string{kind, "A", "TXT", "MX", "CNAME"} {
						for _, v := range u.sets(zone, name, k) {
							all = append(all, name+" "+k+" "+v)
						}
					}
				}
				slices.Sort(all)
				return slices.Compact(all)
			}
			before := stands()
			long := `"` + strings.Repeat("x", 255) + `" "y;\"z"`
			tr := send.Transfer{Zone: zone, Changes: []record.Change{
				change(set(zone, "A", 3600, "192.0.2.10"), set(zone, "A", 300, "203.0.113.20")),
				change(set("shop."+zone, "A", 600, "192.0.2.11", "192.0.2.12"), nil),
				change(nil, set("shop."+zone, "CNAME", 300, zone+".")),
				change(set("www."+zone, "CNAME", 3600, zone+"."), nil),
				change(nil, set("www."+zone, "A", 300, "203.0.113.20", "203.0.113.21")),
				change(nil, set("new."+zone, "TXT", 300, long, `"two"`)),
				change(set(zone, "MX", 3600, "10 mx1.mail.example."),
					set(zone, "MX", 300, "10 mx1.mail.example.")), // the TTL alone
			}}
			e := carry(t, p, tr)
			for _, o := range e.Others {
				t.Logf("%+v found %+v", o.Change, o.Found)
			}
			require.Equal(t, send.Sent, e.Outcome, e.Answer)
			assert.Equal(t, []string{"300 203.0.113.20"}, u.sets(zone, zone, "A"))
			assert.Equal(t, []string{"300 10 mx1.mail.example."}, u.sets(zone, zone, "MX"))
			assert.Equal(t, []string{"300 203.0.113.20", "300 203.0.113.21"},
				u.sets(zone, "www."+zone, "A"))
			assert.Equal(t, []string{"300 " + zone + "."}, u.sets(zone, "shop."+zone, "CNAME"))
			assert.Len(t, u.sets(zone, "new."+zone, "TXT"), 2)
			again := carry(t, p, tr)
			assert.Equal(t, send.Already, again.Outcome, "nothing is sent twice")
			back := carry(t, p, e.Transfer().Back())
			require.Equal(t, send.Sent, back.Outcome, back.Answer)
			assert.Equal(t, before, stands(), "to the octet, TTLs too")
		}
	})
}

// TestWhatAnUpdateMeets tries what goes wrong: of none of it anything is left behind that is not
// said.
func TestWhatAnUpdateMeets(t *testing.T) {
	eachServer(t, func(t *testing.T, u *updated) {
		const zone = "moved.example"
		p := u.updater(updateKey)
		apex := change(set(zone, "A", 3600, "192.0.2.10"), set(zone, "A", 300, "203.0.113.20"))
		wrong := send.Transfer{Zone: zone, Changes: []record.Change{apex,
			change(set("shop."+zone, "A", 600, "192.0.2.11"), set("shop."+zone, "A", 300, "203.0.113.20"))}}
		e := carry(t, p, wrong)
		assert.Equal(t, send.Changed, e.Outcome, "read before")
		require.Len(t, e.Others, 1)
		assert.ElementsMatch(t, []string{"192.0.2.11", "192.0.2.12"}, e.Others[0].Found.Values)
		_, err := p.Change(context.Background(), wrong)
		var refused *send.Refused
		require.ErrorAs(t, err, &refused, "and where nobody read, the server minds the prerequisites")
		assert.True(t, refused.Changed)
		assert.Equal(t, []string{"3600 192.0.2.10"}, u.sets(zone, zone, "A"), "whole or not at all")

		crowded := send.Transfer{Zone: zone, Changes: []record.Change{
			change(nil, set(zone, "CNAME", 300, "elsewhere.example."))}}
		_, err = p.Change(context.Background(), crowded)
		require.ErrorAs(t, err, &refused, "an alias stands alone")
		besides := send.Transfer{Zone: zone, Changes: []record.Change{
			change(nil, set("www."+zone, "TXT", 300, `"beside an alias"`))}}
		_, err = p.Change(context.Background(), besides)
		require.ErrorAs(t, err, &refused, "nothing beside an alias")

		hidden := send.Transfer{Zone: zone, Changes: []record.Change{
			change(set("shop."+zone, "A", 600, "192.0.2.11", "192.0.2.12"), nil),
			change(nil, set("shop."+zone, "CNAME", 300, zone+"."))}}
		unknown := send.Transfer{Zone: zone, Changes: []record.Change{
			change(nil, set("shop."+zone, "TXT", 300, `"nobody told"`))}}
		require.Equal(t, send.Sent, carry(t, p, unknown).Outcome)
		_, err = p.Change(context.Background(), hidden)
		require.ErrorAs(t, err, &refused, "what nobody knew of does not go with the name")
		assert.Equal(t, []string{`300 "nobody told"`}, u.sets(zone, "shop."+zone, "TXT"))
		require.Equal(t, send.Sent, carry(t, p, unknown.Back()).Outcome)

		good := send.Transfer{Zone: zone, Changes: []record.Change{apex}}
		for name, key := range map[string]*live.TransferKey{
			"no key":         nil,
			"another secret": {Name: "update.example", Algorithm: dns.HmacSHA256, Secret: "YW5vdGhlcg=="},
			"an unknown key": {Name: "nobody.example", Algorithm: dns.HmacSHA256, Secret: secret},
			"an algorithm that it does not expect": {Name: "update.example", Algorithm: dns.HmacSHA512,
				Secret: secret},
		} {
			e := carry(t, u.updater(key), good)
			assert.False(t, e.Outcome.Good(), name)
			assert.NotContains(t, e.Answer, secret)
			assert.NotContains(t, e.Answer, "YW5vdGhlcg")
			assert.Equal(t, []string{"3600 192.0.2.10"}, u.sets(zone, zone, "A"), name)
		}
		sha512 := u.updater(&live.TransferKey{Name: "other.example", Algorithm: dns.HmacSHA512,
			Secret: secret})
		require.Equal(t, send.Sent, carry(t, sha512, good).Outcome)
		require.Equal(t, send.Sent, carry(t, sha512, good.Back()).Outcome)
		e = carry(t, p, send.Transfer{Zone: "other.example", Changes: []record.Change{
			change(nil, set("other.example", "A", 300, "192.0.2.1"))}})
		assert.False(t, e.Outcome.Good(), "it is not its zone")

		u.end()
		e = carry(t, p, good)
		assert.Equal(t, send.Unread, e.Outcome, e.Answer)
		u.begin()
		require.Equal(t, send.Sent, carry(t, p, good).Outcome, "it is there again")
	})
}

// TestAnUpdateOfManySets sends 500 changes, whole.
func TestAnUpdateOfManySets(t *testing.T) {
	eachServer(t, func(t *testing.T, u *updated) {
		const zone = "moved.example"
		p := u.updater(updateKey)
		tr := send.Transfer{Zone: zone}
		for i := range 500 {
			tr.Changes = append(tr.Changes, change(nil, set(fmt.Sprintf("n%d.%s", i, zone), "A", 300,
				fmt.Sprintf("203.0.113.%d", i%250))))
		}
		e := carry(t, p, tr)
		require.Equal(t, send.Sent, e.Outcome, e.Answer)
		assert.Equal(t, []string{"300 203.0.113.249"}, u.sets(zone, "n499."+zone, "A"))
		require.Equal(t, send.Sent, carry(t, p, tr.Back()).Outcome)
		assert.Empty(t, u.sets(zone, "n499."+zone, "A"))
	})
}

// TestTwoUpdatesAtOnce has several change one set from the same state: one wins each time, the
// others are told.
func TestTwoUpdatesAtOnce(t *testing.T) {
	eachServer(t, func(t *testing.T, u *updated) {
		const zone = "moved.example"
		value := "192.0.2.10"
		ttl := 3600
		for round := range 10 {
			var wins []string
			var lock sync.Mutex
			var all sync.WaitGroup
			for i := range 3 {
				all.Add(1)
				go func() {
					defer all.Done()
					next := fmt.Sprintf("203.0.113.%d", 10*round+i+1)
					_, err := u.updater(updateKey).Change(context.Background(), send.Transfer{Zone: zone,
						Changes: []record.Change{change(set(zone, "A", ttl, value),
							set(zone, "A", 300, next))}})
					if err == nil {
						lock.Lock()
						defer lock.Unlock()
						wins = append(wins, next)
					}
				}()
			}
			all.Wait()
			require.Len(t, wins, 1)
			value, ttl = wins[0], 300
			assert.Equal(t, []string{"300 " + value}, u.sets(zone, zone, "A"))
		}
	})
}

// cutter stands before a server, and cuts connections off: after what was asked, or before what is
// answered.
type cutter struct {
	net.Listener
	to     string
	lock   sync.Mutex
	answer bool // the answer of the next update comes through
	strip  bool // answers come through without their signatures
	ask    bool // the next update comes through
}

func startCutter(t *testing.T, to string) *cutter {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	c := &cutter{Listener: l, to: to, ask: true, answer: true}
	t.Cleanup(func() { _ = l.Close() })
	go func() {
		for {
			in, err := l.Accept()
			if err != nil {
				return
			}
			go c.pass(in)
		}
	}()
	return c
}

func (c *cutter) pass(in net.Conn) {
	defer in.Close()
	client := &dns.Conn{Conn: in}
	out, err := net.Dial("tcp", c.to)
	if err != nil {
		return
	}
	defer out.Close()
	server := &dns.Conn{Conn: out}
	buffer := make([]byte, 65535)
	for {
		n, err := client.Read(buffer)
		if err != nil {
			return
		}
		update := n > 2 && buffer[2]>>3&15 == dns.OpcodeUpdate
		c.lock.Lock()
		ask, answer := c.ask || !update, c.answer || !update
		c.lock.Unlock()
		if !ask {
			return
		}
		if _, err := server.Write(buffer[:n]); err != nil {
			return
		}
		if n, err = server.Read(buffer); err != nil || !answer {
			return
		}
		if m := new(dns.Msg); c.stripping() && m.Unpack(buffer[:n]) == nil && m.IsTsig() != nil {
			m.Extra = m.Extra[:len(m.Extra)-1]
			plain, err := m.Pack()
			if err != nil {
				return
			}
			n = copy(buffer, plain)
		}
		if _, err := client.Write(buffer[:n]); err != nil {
			return
		}
	}
}

func (c *cutter) stripping() bool {
	c.lock.Lock()
	defer c.lock.Unlock()
	return c.strip
}

// TestAnAnswerThatIsNotSigned is one that anybody could have sent: it is believed in nothing.
func TestAnAnswerThatIsNotSigned(t *testing.T) {
	eachServer(t, func(t *testing.T, u *updated) {
		const zone = "moved.example"
		c := startCutter(t, u.at)
		direct := u.at
		u.at = c.Addr().String()
		p := u.updater(updateKey)
		u.at = direct
		good := send.Transfer{Zone: zone, Changes: []record.Change{
			change(set(zone, "A", 3600, "192.0.2.10"), set(zone, "A", 300, "203.0.113.20"))}}
		c.strip = true
		e := carry(t, p, good)
		assert.Equal(t, send.Unread, e.Outcome)
		assert.Contains(t, e.Answer, "not signed")
		_, err := p.Change(context.Background(), good)
		require.ErrorContains(t, err, "not signed")
		var refused *send.Refused
		require.NotErrorAs(t, err, &refused, "nobody knows whether it was taken")
		assert.Equal(t, []string{"300 203.0.113.20"}, u.sets(zone, zone, "A"), "and it was")
	})
}

// TestAnUpdateThatBreaksOff loses the answer, or the question: what stands there decides what is
// said, and what nobody can see is unknown until somebody does.
func TestAnUpdateThatBreaksOff(t *testing.T) {
	eachServer(t, func(t *testing.T, u *updated) {
		const zone = "moved.example"
		c := startCutter(t, u.at)
		direct := u.at
		u.at = c.Addr().String()
		p := u.updater(updateKey)
		u.at = direct
		good := send.Transfer{Zone: zone, Changes: []record.Change{
			change(set(zone, "A", 3600, "192.0.2.10"), set(zone, "A", 300, "203.0.113.20"))}}
		c.answer = false
		e := carry(t, p, good)
		assert.Equal(t, send.Sent, e.Outcome, "its answer was lost, but it stands there")
		c.answer, c.ask = true, false
		e = carry(t, p, e.Transfer().Back())
		assert.Equal(t, send.NotTaken, e.Outcome, "it never came there")
		assert.Equal(t, []string{"300 203.0.113.20"}, u.sets(zone, zone, "A"))

		// the server goes away right after it took it: nobody knows, until it is back
		c.ask, c.answer = true, false
		gone := dying{p, u}
		e = carry(t, gone, good.Back())
		assert.Equal(t, send.Unknown, e.Outcome, e.Answer)
		u.begin()
		c.answer = true
		e = carry(t, p, good.Back())
		assert.Contains(t, []send.Outcome{send.Already, send.Sent}, e.Outcome, "found out")
		assert.Equal(t, []string{"3600 192.0.2.10"}, u.sets(zone, zone, "A"))
	})
}

// dying is a place whose server goes away with every change.
type dying struct {
	*live.Updater
	server *updated
}

func (d dying) Change(ctx context.Context, t send.Transfer) (string, error) {
	answer, err := d.Updater.Change(ctx, t)
	d.server.end()
	return answer, err
}

// TestUpdatesAtRandom sends changes at random, and compares the zone with what a plain list makes
// of them; each is then taken back.
func TestUpdatesAtRandom(t *testing.T) {
	eachServer(t, func(t *testing.T, u *updated) {
		const zone = "moved.example"
		p := u.updater(updateKey)
		r := rand.New(rand.NewPCG(1, 36))
		stands := map[record.Key]*record.Set{}
		for range 25 {
			var tr send.Transfer
			tr.Zone = zone
			for i := range 6 {
				name := fmt.Sprintf("r%d.%s", i, zone)
				kind := []string{"A", "TXT", "MX"}[r.IntN(3)]
				key := record.Key{Name: name, Type: kind}
				var after *record.Set
				if r.IntN(3) > 0 {
					after = set(name, kind, 60*(1+r.IntN(5)))
					for v := range 1 + r.IntN(3) {
						after.Values = append(after.Values, map[string]string{
							"A":   fmt.Sprintf("203.0.113.%d", 10*v+r.IntN(10)),
							"TXT": fmt.Sprintf(`"text %d;%d"`, v, r.IntN(10)),
							"MX":  fmt.Sprintf("%d mx%d.mail.example.", 10+v, r.IntN(10))}[kind])
					}
				}
				before := stands[key]
				if before == nil && after == nil || before != nil && after != nil && before.Same(*after) {
					continue
				}
				tr.Changes = append(tr.Changes, record.Change{Name: name, Type: kind, Before: before,
					After: after})
			}
			if len(tr.Changes) == 0 {
				continue
			}
			e := carry(t, p, tr)
			require.Equal(t, send.Sent, e.Outcome, "%v %v", e.Answer, tr)
			for _, c := range tr.Changes {
				stands[record.Key{Name: c.Name, Type: c.Type}] = c.After
				var wanted []string
				if c.After != nil {
					for _, v := range c.After.Values {
						wanted = append(wanted, fmt.Sprintf("%d %s", c.After.TTL, v))
					}
				}
				slices.Sort(wanted)
				assert.Equal(t, slices.Compact(wanted), u.sets(zone, c.Name, c.Type))
			}
		}
	})
}

// TestValuesOfEveryTypeAreTheSameThere sends values as plans have them, and finds them again as the
// server says them.
func TestValuesOfEveryTypeAreTheSameThere(t *testing.T) {
	eachServer(t, func(t *testing.T, u *updated) {
		const zone = "moved.example"
		p := u.updater(updateKey)
		tr := send.Transfer{Zone: zone}
		for i, typed := range [][2]string{
			{"AAAA", "2001:DB8:0:0::10"}, {"TXT", `grüße "q" \ ; x`}, {"TXT", strings.Repeat("long ", 120)},
			{"TXT", ""}, {"CAA", `0 issue "ca.example; policy=ev"`}, {"CAA", "128 iodef mailto:a@b.example"},
			{"SRV", "10 5 5061 sip.mail.example"}, {"MX", "0 ."}, {"HTTPS", `1 . alpn="h2,h3" ipv4hint=192.0.2.1`},
			{"HTTPS", "0 other.example."}, {"SVCB", "2 svc.example. port=8443 alpn=h2"},
			{"TLSA", "3 1 1 AB0123456789ABCDEF0123456789abcdef0123456789abcdef0123456789abcd"},
			{"SSHFP", "4 2 ABCDEF0123456789ABCDEF0123456789ABCDEF0123456789ABCDEF0123456789"},
			{"NS", "ns1.other.example"}, {"PTR", "Host.Other.Example."}, {"CNAME", "*.Other.example."},
			{"NAPTR", `100 50 "s" "SIP+D2U" "" _sip._udp.example.com.`}, {"LOC", "51 30 12.748 N 00 07 39.612 W 0m 1m 10000m 10m"},
			{"DS", "31406 13 2 6b9f3c1d0e5a47b2889d4c7f1a2e3d4c5b6a79880f1e2d3c4b5a69788f9e0d1c"},
		} {
			value, err := record.Value(typed[0], typed[1])
			if err != nil { // no plan types it, but a zone that is copied may hold it
				value = typed[1]
			}
			name := fmt.Sprintf("t%d.%s", i, zone)
			if typed[0] == "DS" { // it stands beside a delegation
				tr.Changes = append(tr.Changes, change(nil, set(name, "NS", 300, "ns1.other.example.")))
			}
			tr.Changes = append(tr.Changes, change(nil, set(name, typed[0], 300, value)))
		}
		for _, name := range []string{"*." + zone, "_dmarc." + zone, "a_b." + zone} {
			tr.Changes = append(tr.Changes, change(nil, set(name, "TXT", 300, `"x"`)))
		}
		e := carry(t, p, tr)
		for _, o := range e.Others {
			t.Logf("%s %s: %v, found %v", o.Change.Name, o.Change.Type, o.Change.After, o.Found)
		}
		require.Equal(t, send.Sent, e.Outcome, e.Answer)
		require.Equal(t, send.Already, carry(t, p, tr).Outcome)
		back := carry(t, p, tr.Back())
		require.Equal(t, send.Sent, back.Outcome, back.Answer)
	})
}
