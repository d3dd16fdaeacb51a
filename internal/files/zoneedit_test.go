package files

import (
	"context"
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"upperpath.example/upperpath/internal/core/record"
	"upperpath.example/upperpath/internal/core/send"
)

var editDay = time.Date(2026, 12, 1, 22, 0, 0, 0, time.UTC)

func setOf(name, kind string, ttl int, values ...string) *record.Set {
	return &record.Set{Name: name, Type: kind, TTL: ttl, Values: values}
}

func changeOf(before, after *record.Set) record.Change {
	s := after
	if s == nil {
		s = before
	}
	return record.Change{Name: s.Name, Type: s.Type, Before: before, After: after}
}

const handWritten = `; the museums' zone, kept in git
$ORIGIN old.example.
$TTL 1h
@   IN  SOA ns1 hostmaster (
        2026110101 ; serial, by date
        7200 3600 1209600 300 )
        IN  NS  ns1            ; ours
        IN  A   192.0.2.1      ; the old machine
        IN  MX  10 mail
ns1     IN  A   192.0.2.53
www 600 IN  CNAME old.example.
; mail stays
mail    A   192.0.2.25
        TXT "v=spf1 -all; \"q\""
$ORIGIN shop.old.example.
@       IN  A   192.0.2.9
`

func TestAZoneFileIsChangedInPlace(t *testing.T) {
	after, serial, err := EditZone("old.example.zone", []byte(handWritten), send.Transfer{
		Zone: "old.example", Changes: []record.Change{
			changeOf(setOf("old.example", "A", 3600, "192.0.2.1"),
				setOf("old.example", "A", 300, "203.0.113.20", "203.0.113.21")),
			changeOf(setOf("www.old.example", "CNAME", 600, "old.example."), nil),
			changeOf(nil, setOf("www.old.example", "A", 300, "203.0.113.20")),
			changeOf(setOf("mail.old.example", "A", 3600, "192.0.2.25"), nil),
			changeOf(nil, setOf("shop.old.example", "TXT", 300, `"a; b"`)),
			changeOf(nil, setOf("_dmarc.old.example", "TXT", 3600, `"v=DMARC1; p=none"`)),
		}}, editDay)
	require.NoError(t, err)
	assert.Equal(t, uint32(2026120100), serial)
	assert.Equal(t, `; the museums' zone, kept in git
$ORIGIN old.example.
$TTL 1h
@   IN  SOA ns1 hostmaster (
        2026120100 ; serial, by date
        7200 3600 1209600 300 )
        IN  NS  ns1            ; ours
        300 IN  A   203.0.113.20      ; the old machine
@ 300 IN A 203.0.113.21
        IN  MX  10 mail
ns1     IN  A   192.0.2.53
www 300 IN A 203.0.113.20
; mail stays
mail    TXT "v=spf1 -all; \"q\""
$ORIGIN shop.old.example.
@       IN  A   192.0.2.9
@ 300 IN TXT "a; b"
_dmarc.old.example. 3600 IN TXT "v=DMARC1; p=none"
`, string(after))
}

func TestSerials(t *testing.T) {
	for _, c := range [][2]uint32{{1, 2}, {4294967295, 1}, {2026110101, 2026120100},
		{2026120100, 2026120101}, {2026120199, 2026120200}, {2027010100, 2027010101},
		{1999010100, 2026120100}, {1796092800, 1796092801}} {
		assert.Equal(t, c[1], nextSerial(c[0], editDay), c[0])
	}
}

func TestWhatIsNotChangedInPlace(t *testing.T) {
	good := send.Transfer{Zone: "old.example", Changes: []record.Change{
		changeOf(nil, setOf("new.old.example", "A", 300, "192.0.2.1"))}}
	for name, text := range map[string]string{
		"no SOA":         "$ORIGIN old.example.\n@ 60 IN A 192.0.2.1\n",
		"included":       handWritten + "$INCLUDE other.zone\n",
		"generated":      handWritten + "$GENERATE 1-3 h$ A 192.0.2.$\n",
		"not a zone":     "<html>",
		"an open quote":  handWritten + "x TXT \"open\n",
		"an open paren":  handWritten + "x TXT ( \"open\"\n",
		"two of one SOA": strings.Replace(handWritten, "SOA", "A", 1),
	} {
		_, _, err := EditZone("f", []byte(text), good, editDay)
		assert.Error(t, err, name)
	}
}

// TestZoneFilesAtRandom changes files that are written in any way, and reads what came of it with
// both readers (EditZone itself refuses what is not as it was meant, and here it must not).
func TestZoneFilesAtRandom(t *testing.T) {
	for seed := range 400 {
		r := rand.New(rand.NewPCG(uint64(seed), 36))
		text, sets := randomZone(r)
		tr := randomTransfer(r, sets)
		after, _, err := EditZone("f", []byte(text), tr, editDay)
		require.NoError(t, err, "%d\n%s\n%v", seed, text, tr)
		for _, line := range strings.Split(text, "\n") { // comments stay, with their lines
			if strings.HasPrefix(line, ";") {
				assert.Contains(t, string(after), line+"\n")
			}
		}
		back, _, err := EditZone("f", after, tr.Back(), editDay)
		require.NoError(t, err, "%d\n%s", seed, after)
		_, was, err := ZoneOf("f", []byte(text), "old.example")
		require.NoError(t, err)
		_, is, err := ZoneOf("f", back, "old.example")
		require.NoError(t, err)
		had, has := setsIn(was), setsIn(is)
		soa := record.Key{Name: "old.example", Type: "SOA"}
		delete(had, soa)
		delete(has, soa)
		assert.Equal(t, had, has, seed)
	}
}

func randomZone(r *rand.Rand) (string, map[record.Key]*record.Set) {
	one := func(all ...string) string { return all[r.IntN(len(all))] }
	var b strings.Builder
	b.WriteString("; a zone\n$ORIGIN old.example.\n" + one("$TTL 3600\n", "$TTL 1h ; an hour\n"))
	b.WriteString(
		"@ IN SOA ns1 h " + one("( 5\n 7200 3600 1209600 300 )", "2026110101 1 2 3 4") + "\n",
	)
	b.WriteString(one("\t", "@ ") + "IN NS ns1\n")
	sets := map[record.Key]*record.Set{}
	for i := range 1 + r.IntN(6) {
		name := fmt.Sprintf("n%d", i)
		full := name + ".old.example"
		first := true
		for _, kind := range []string{"A", "TXT", "MX"} {
			if r.IntN(3) == 0 {
				continue
			}
			ttl := 3600
			if r.IntN(2) == 0 {
				ttl = 60 * (1 + r.IntN(9))
			}
			s := setOf(full, kind, ttl)
			for v := range 1 + r.IntN(3) {
				value := map[string]string{"A": fmt.Sprintf("192.0.2.%d", v),
					"TXT": fmt.Sprintf("\"t;%d ( \\\" x\"", v), "MX": fmt.Sprintf("%d mx", 10+v)}[kind]
				owner := one(name, full+".")
				if !first && r.IntN(2) == 0 {
					owner = one("", "  ")
				}
				first = false
				when := fmt.Sprintf(" %d ", ttl)
				if ttl == 3600 && r.IntN(2) == 0 {
					when = " "
				}
				written := one(kind, strings.ToLower(kind))
				if owner == "" {
					owner = " "
				}
				b.WriteString(owner + one(when+one("IN ", ""), one(" IN", "")+when) + written + " " +
					one(value, "( "+value+"\n )") + one("", " ; beside") + one("\n", "\n; a comment\n",
					"\n\n"))
				if kind == "MX" {
					value += ".old.example."
				}
				s.Values = append(s.Values, value)
			}
			sets[record.Key{Name: full, Type: kind}] = s
		}
	}
	return b.String(), sets
}

func randomTransfer(r *rand.Rand, sets map[record.Key]*record.Set) send.Transfer {
	tr := send.Transfer{Zone: "old.example"}
	for i := range 8 {
		name := fmt.Sprintf("n%d.old.example", i)
		for _, kind := range []string{"A", "TXT", "MX", "CAA", "TLSA", "HTTPS"} {
			if r.IntN(2) == 0 {
				continue
			}
			before := sets[record.Key{Name: name, Type: kind}]
			var after *record.Set
			if r.IntN(3) > 0 || before == nil {
				after = setOf(name, kind, 60*(1+r.IntN(4)))
				for v := range 1 + r.IntN(3) {
					after.Values = append(after.Values, map[string]string{
						"A": fmt.Sprintf("192.0.2.%d", 2+v), "TXT": fmt.Sprintf("\"t;%d ( \\\" x\"", 1+v),
						"TLSA": fmt.Sprintf("3 1 %d abCD", v), "HTTPS": fmt.Sprintf("%d . alpn=h2", v+1),
						"MX": fmt.Sprintf("%d new%d.old.example.", 10+v, v), "CAA": fmt.Sprintf("0 issue \"c%d\"",
							v)}[kind])
				}
			}
			tr.Changes = append(tr.Changes, changeOf(before, after))
		}
	}
	return tr
}

func TestTheFolderOfZoneFiles(t *testing.T) {
	folder := t.TempDir()
	path := filepath.Join(folder, "db.old.example")
	crlf := strings.ReplaceAll(handWritten, "\n", "\r\n")
	require.NoError(t, os.WriteFile(path, []byte(crlf), 0o640))
	f := ZoneFolder{Path: folder, Now: func() time.Time { return editDay }}
	ctx := context.Background()
	tr := send.Transfer{Zone: "old.example", Changes: []record.Change{
		changeOf(
			setOf("old.example", "A", 3600, "192.0.2.1"),
			setOf("old.example", "A", 300, "192.0.2.2"),
		)}}
	_, err := f.Change(ctx, tr)
	require.NoError(t, err)
	text, err := os.ReadFile(path)
	require.NoError(t, err)
	assert.Equal(t, strings.Count(string(text), "\n"), strings.Count(string(text), "\r\n"))
	info, err := os.Stat(path)
	require.NoError(t, err)
	assert.Equal(t, os.FileMode(0o640), info.Mode())
	_, err = f.Change(ctx, tr)
	var refused *send.Refused
	require.ErrorAs(t, err, &refused, "it is not as it was any more")
	assert.True(t, refused.Changed)
	free, err := lockFile(path)
	require.NoError(t, err)
	_, err = f.Change(ctx, tr.Back())
	var not *send.NotSent
	require.ErrorAs(t, err, &not, "somebody else is at it")
	free()
	_, err = f.Change(ctx, tr.Back())
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(filepath.Join(folder, "old.example.zone"), nil, 0o600))
	_, err = f.Read(ctx, "old.example", tr.Keys())
	require.ErrorContains(t, err, "several files")
	_, err = f.Read(ctx, "other.example", nil)
	require.ErrorContains(t, err, "no file of the zone")
}

func TestKeysOfUpdates(t *testing.T) {
	folder := t.TempDir()
	base := filepath.Join(folder, "upperpath.yaml")
	write := func(text string) {
		require.NoError(t, os.WriteFile(filepath.Join(folder, "k"), []byte(text), 0o600))
	}
	environment := func(name string) string {
		return map[string]string{"GOOD": "hmac-sha512:k.example:c2VjcmV0", "BAD": "c2VjcmV0",
			"WORSE": "hmac-sha256:k:not base64"}[name]
	}
	good := TransferKey{Name: "k.example", Algorithm: "hmac-sha512", Secret: "c2Vj//V0"}
	for _, text := range []string{
		"key \"k.example\" {\n\talgorithm hmac-sha512;\n\tsecret \"c2Vj//V0\"; # a comment\n};\n",
		"// a comment\nkey k.example { algorithm \"hmac-sha512\"; secret c2Vj//V0; }",
		"name: k.example\nalgorithm: hmac-sha512\nsecret: c2Vj//V0\n",
	} {
		write(text)
		key, err := ReadUpdateKey(base, "k", environment)
		require.NoError(t, err, text)
		assert.Equal(t, good, key)
	}
	key, err := ReadUpdateKey(base, "env:GOOD", environment)
	require.NoError(t, err)
	assert.Equal(t, "c2VjcmV0", key.Secret)
	for _, spec := range []string{"env:BAD", "env:WORSE", "env:NONE", "nowhere"} {
		_, err := ReadUpdateKey(base, spec, environment)
		require.Error(t, err, spec)
		assert.NotContains(t, err.Error(), "c2VjcmV0")
	}
	write("key \"k\" { algorithm hmac-sha256; secret \"my secret!\"; };")
	_, err = ReadUpdateKey(base, "k", environment)
	require.Error(t, err)
	assert.NotContains(t, err.Error(), "my secret")
}
