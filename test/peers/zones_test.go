package peers

import (
	"fmt"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"upperpath.example/upperpath/internal/files"
	"upperpath.example/upperpath/internal/live"
	_ "upperpath.example/upperpath/internal/words"
)

// loaded is what bind makes of a zone file, a record a line, or an error where it refuses it.
func loaded(t *testing.T, path string) (string, error) {
	c := exec.Command(peer(t, "named-compilezone"), "-q", "-i", "none", "-k", "ignore", "-m", "ignore",
		"-M", "ignore", "-n", "ignore", "-r", "ignore", "-S", "ignore", "-T", "ignore", "-o", "-",
		"a.example", path)
	said, err := c.CombinedOutput()
	return string(said), err
}

// writtenBack reads a zone file and has the same records written to another.
func writtenBack(t *testing.T, path string) (string, error) {
	zone, records, err := files.ReadZone(path, "a.example")
	if err != nil {
		return "", err
	}
	sets, _ := live.Sets(zone, records)
	text, err := files.ZoneText(zone, sets, "as it was seen", files.Marks{})
	require.NoError(t, err)
	again := filepath.Join(t.TempDir(), "again.zone")
	require.NoError(t, os.WriteFile(again, text, 0o600))
	return again, nil
}

// kinds gives records of every type that bind knows, in every form that it reads.
func kinds(t *testing.T) []string {
	text, err := os.ReadFile("testdata/records.txt")
	require.NoError(t, err)
	return strings.Split(strings.TrimSpace(string(text)), "\n")
}

// TestEveryRecordThatBindLoadsIsReadAndWrittenBack has bind load a record of every type, in every
// form, before and after we read it and wrote it.
func TestEveryRecordThatBindLoadsIsReadAndWrittenBack(t *testing.T) {
	some := 0
	for _, data := range kinds(t) {
		head, at := "$TTL 60\n@ SOA ns h 1 2 3 4 5\n", "n "
		if strings.HasPrefix(data, "SOA") {
			head, at = "$TTL 60\n", "@ "
		}
		path := filepath.Join(t.TempDir(), "a.example.zone")
		require.NoError(t, os.WriteFile(path,
			[]byte(head+at+data+"\n@ NS ns.b.example.\n"), 0o600))
		want, err := loaded(t, path)
		again, readErr := writtenBack(t, path)
		if err != nil {
			continue
		}
		some++
		if assert.NoError(t, readErr, data) {
			got, err := loaded(t, again)
			assert.NoError(t, err, data)
			assert.Equal(t, want, got, data)
		}
	}
	assert.Greater(t, some, 150)
}

// TestZonesThatBindLoadsAreReadAndWrittenBack does the same with whole zones: with and without
// $TTL, classes and owners, with $ORIGIN, $GENERATE and parentheses, all at random.
func TestZonesThatBindLoadsAreReadAndWrittenBack(t *testing.T) {
	r := rand.New(rand.NewPCG(30, 1))
	all := kinds(t)
	some, refused := 0, 0
	for i := range 256 {
		text := anyZone(r, all)
		path := filepath.Join(t.TempDir(), "a.example.zone")
		require.NoError(t, os.WriteFile(path, []byte(text), 0o600))
		want, err := loaded(t, path)
		again, readErr := writtenBack(t, path)
		if err != nil {
			if refused++; readErr != nil {
				assert.NotRegexp(t, `: Zone[A-Z]\w+\{`, readErr.Error(), text) // it has words
			}
			continue
		}
		some++
		if !assert.NoError(t, readErr, "zone %d:\n%s", i, text) {
			continue
		}
		got, err := loaded(t, again)
		assert.NoError(t, err, text)
		assert.Equal(t, want, got, text)
	}
	t.Logf("%d zones loaded, %d refused by bind", some, refused)
	assert.Greater(t, some, 150)
}

func anyZone(r *rand.Rand, kinds []string) string {
	var b strings.Builder
	pick := func(all ...string) string { return all[r.IntN(len(all))] }
	ttl := func() string { return pick("", "", "", "60 ", "1h ", "2d3h ", "0 ", "1W ", "86400 ") }
	class := func() string { return pick("", "", "IN ", "in ", "CLASS1 ") }
	middle := func() string {
		if r.IntN(2) == 0 {
			return class() + ttl()
		}
		return ttl() + class()
	}
	if r.IntN(3) > 0 {
		b.WriteString(pick("$TTL 3600\n", "$ttl 1d ; a day\n", "$TTL 90m\n"))
	}
	b.WriteString(pick("", "$ORIGIN a.example.\n", "; an export\n\n"))
	b.WriteString("@ " + middle() + "SOA ns hostmaster ( 2026110101 ; serial\n  2h 15m\n 4w 5m )\n")
	b.WriteString(pick("  NS ns\n", "\tIN NS ns.b.example.\n", "@ NS ns.b.example.\n"))
	b.WriteString("ns A 192.0.2.1\n")
	for n := range 2 + r.IntN(12) {
		switch r.IntN(10) {
		case 0:
			b.WriteString(pick("$ORIGIN sub.a.example.\n", "$ORIGIN a.example.\n", "$ORIGIN x\n",
				"$TTL 300\n", "$TTL 2h\n"))
		case 1:
			b.WriteString("$GENERATE " + pick("1-3", "0-8/4", "10-12") + " " +
				pick("g$", "g${0,3}", "g${-1,2,d}", "g${5,4,x}", "${0,5,n}", "${0,4,N}", "$$$", `\$$`) + fmt.Sprint(
				".r", n, " ") + ttl() + pick("A 192.0.2.$", "CNAME t$", `TXT "v $ w"`, `TXT "x${0,2,o}"`,
				`MX "10 m$"`, "AAAA 2001:db8::${0,0,x}") + "\n")
		case 2:
			b.WriteString(fmt.Sprintf("m%d %sMX 10 mail\n  %sMX 20 mail2\n %sTXT \"a;b\" ; c\n", n, middle(),
				middle(), ttl()))
		case 8:
			b.WriteString(fmt.Sprintf("c%d %sCNAME t\nc%[1]d %[2]sKEY 256 3 8 AQMF\n", n, ttl()))
		case 3:
			b.WriteString(fmt.Sprintf("p%d %s( TXT\n  \"one\"\n  two ) \n", n, middle()))
		case 4:
			b.WriteString(pick(`e\.x`, `\097b`, "*", "*.w", `a\;b`, "a", "mx", "60", "x.b.example.") +
				" " + middle() + "A 192.0.2.7\n")
		default:
			data := kinds[r.IntN(len(kinds))]
			if strings.HasPrefix(data, "SOA") {
				continue
			}
			b.WriteString(fmt.Sprintf("k%d %s%s\n", n, middle(), data))
		}
	}
	return b.String()
}
