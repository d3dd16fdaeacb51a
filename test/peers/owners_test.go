package peers

import (
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/miekg/dns"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"upperpath.example/upperpath/internal/files"
	"upperpath.example/upperpath/internal/live"
)

// TestZonesWithAnyOwnerAreLoaded writes a zone with names of all octets, such as nobody keeps a zone from having, and
// has real servers' own checks load it. What they and our reader make of it is the same number of records.
func TestZonesWithAnyOwnerAreLoaded(t *testing.T) {
	records := []dns.RR{}
	add := func(label string) {
		rr, err := dns.NewRR(`x.a.example. 60 IN TXT "x"`)
		require.NoError(t, err)
		rr.Header().Name = label + ".a.example."
		wire := make([]byte, 300)
		_, err = dns.PackRR(rr, wire, 0, nil, false)
		require.NoError(t, err, label)
		read, _, err := dns.UnpackRR(wire, 0) // as it comes from a server
		require.NoError(t, err)
		records = append(records, read)
		alias, err := dns.NewRR(fmt.Sprintf("mx%d.a.example. 60 IN MX 1 x.", len(records)))
		require.NoError(t, err)
		alias.(*dns.MX).Mx = read.Header().Name // a name in the data
		records = append(records, alias)
	}
	for _, text := range []string{
		"a.example. 60 IN SOA ns.a.example. h.a.example. 1 2 3 4 5", "a.example. 60 IN NS ns.b.example.",
	} {
		rr, err := dns.NewRR(text)
		require.NoError(t, err)
		records = append(records, rr)
	}
	for c := range 256 {
		add(fmt.Sprintf(`\%03d`, c))
		add(fmt.Sprintf(`\%03d(id)x`, c))
		add(fmt.Sprintf(`x\%03d`, c))
	}
	for _, odd := range []string{`$\(id\)`, `$INCLUDE`, `$`, `\; rm`, `\@`, `\"x`, `*`, `x\.`} {
		add(odd)
	}
	sets, _ := live.Sets("a.example", records)
	text, err := files.ZoneText("a.example", sets, "as it was seen", files.Marks{})
	require.NoError(t, err)
	path := filepath.Join(t.TempDir(), "a.example.zone")
	require.NoError(t, os.WriteFile(path, text, 0o600))
	_, again, err := files.ReadZone(path, "")
	require.NoError(t, err)
	values := 0
	for _, s := range sets {
		values += len(s.Values)
	}
	assert.Len(t, again, values)
	for _, check := range []string{"named-checkzone a.example " + path, "kzonecheck -o a.example " + path} {
		words := strings.Fields(check)
		said, err := exec.Command(peer(t, words[0]), words[1:]...).CombinedOutput()
		assert.NoError(t, err, "%s: %s", words[0], said)
	}
}
