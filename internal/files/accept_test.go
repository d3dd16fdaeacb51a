package files

import (
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"upperpath.example/upperpath/internal/core/estate"
	"upperpath.example/upperpath/internal/core/finding"
)

const acceptHead = "canonical: https://www.n.example   # the site\ncarriers:\n" +
	"  g: {by: server, addresses: [203.0.113.20]}\ndefaults: {carrier: g}\ndomains: [n.example]\n"

// acceptedIn reads what an estate file accepts.
func acceptedIn(t *testing.T, path string) []finding.Acceptance {
	t.Helper()
	root, err := ReadTree(path)
	require.NoError(t, err)
	e, _ := estate.ReadUndecided(root)
	return e.Accept
}

func TestAcceptanceIsWrittenWhereverTheListStands(t *testing.T) {
	entry := "{code: loop, subject: a.example, why: w, until: 2027-01-01}"
	until := time.Date(2027, 2, 1, 0, 0, 0, 0, time.UTC)
	for name, c := range map[string]struct{ text, after string }{
		"none":             {acceptHead, acceptHead + "\naccept:\n  - NEW\n"},
		"no last line end": {strings.TrimSuffix(acceptHead, "\n"), acceptHead + "\naccept:\n  - NEW\n"},
		"empty key":        {"accept:\n" + acceptHead, "accept:\n  - NEW\n" + acceptHead},
		"empty brackets":   {"accept: []\n" + acceptHead, "accept: [NEW]\n" + acceptHead},
		"brackets": {"accept: [" + entry + "] # c\n" + acceptHead,
			"accept: [" + entry + ", NEW] # c\n" + acceptHead},
		"a list": {"accept:\n# why\n- " + entry + "\n\n# then\n" + acceptHead,
			"accept:\n# why\n- " + entry + "\n- NEW\n\n# then\n" + acceptHead},
		"a deep list": {"accept:\n    - code: loop\n      subject: a.example\n      why: w\n" +
			"      until: 2027-01-01\n" + acceptHead,
			"accept:\n    - code: loop\n      subject: a.example\n" +
				"      why: w\n      until: 2027-01-01\n    - NEW\n" + acceptHead},
		"CRLF": {strings.ReplaceAll(acceptHead, "\n", "\r\n"),
			strings.ReplaceAll(acceptHead+"\naccept:\n  - NEW\n", "\n", "\r\n")},
		"the same": {"accept:\n  - {code: refused, subject: b.example, why: old, " +
			"until: 2027-01-01}\n  - " +
			entry + "\n" + acceptHead, "accept:\n  - " + entry + "\n  - NEW\n" + acceptHead},
	} {
		t.Run(name, func(t *testing.T) {
			path := write(t, "upperpath.yaml", c.text)
			a := finding.Acceptance{Code: "refused", Subject: "b.example", Until: until,
				Why: `it's "so": {x}`}
			require.NoError(t, Accept(path, a))
			got, err := os.ReadFile(path)
			require.NoError(t, err)
			assert.Equal(t, strings.ReplaceAll(c.after, "NEW", AcceptEntry(a)), string(got))
			all := acceptedIn(t, path)
			assert.Equal(t, a, all[len(all)-1])
			if name == "brackets" || name == "empty brackets" {
				assert.ErrorIs(t, Withdraw(path, "refused", "b.example"), ErrAcceptForm)
				return
			}
			require.NoError(t, Withdraw(path, "refused", "b.example"))
			assert.Len(t, acceptedIn(t, path), len(all)-1)
			assert.ErrorIs(t, Withdraw(path, "refused", "b.example"), ErrNotAccepted)
		})
	}
	path := write(t, "upperpath.yaml", "accept: [\n  "+entry+"\n]\n"+acceptHead)
	before, err := os.ReadFile(path)
	require.NoError(t, err)
	assert.ErrorIs(t, Accept(path, finding.Acceptance{Code: "refused", Subject: "x", Why: "w",
		Until: until}), ErrAcceptForm)
	after, err := os.ReadFile(path)
	require.NoError(t, err)
	assert.Equal(t, before, after)
}

// TestAcceptanceAtRandom accepts and withdraws at random, beside a map that says what should be
// there; everything else of the file stays.
func TestAcceptanceAtRandom(t *testing.T) {
	r := rand.New(rand.NewPCG(9, 9)) // a test
	until := time.Date(2027, 1, 1, 0, 0, 0, 0, time.UTC)
	path := filepath.Join(t.TempDir(), "upperpath.yaml")
	require.NoError(t, os.WriteFile(path, []byte(acceptHead+"# the end\n"), 0o600))
	want := map[string]string{}
	codes := []string{"refused", "loop", "record-changed"}
	whys := []string{"plain", `with "quotes"`, "a: colon", "- dash", "#hash", "ø"}
	for range 300 {
		code, subject := codes[r.IntN(3)], fmt.Sprintf("h%d.example A", r.IntN(4))
		key := code + " " + subject
		if r.IntN(3) == 0 {
			err := Withdraw(path, code, subject)
			if _, there := want[key]; there {
				require.NoError(t, err)
			} else {
				require.ErrorIs(t, err, ErrNotAccepted)
			}
			delete(want, key)
		} else {
			a := finding.Acceptance{Code: code, Subject: subject, Until: until, Why: whys[r.IntN(len(whys))]}
			if finding.IsChange(code) {
				a.Values = []string{"192.0.2.1", "x, y]"}
			}
			require.NoError(t, Accept(path, a))
			want[key] = a.Why
		}
		got := map[string]string{}
		for _, a := range acceptedIn(t, path) {
			got[a.Code+" "+a.Subject] = a.Why
		}
		require.Equal(t, want, got)
	}
	text, err := os.ReadFile(path)
	require.NoError(t, err)
	assert.Contains(t, string(text), "# the site")
	assert.Contains(t, string(text), "# the end")
}
