package files

import (
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	_ "upperpath.example/upperpath/internal/words"
)

// asked reads an estate file, and gives what is wrong with it or looks mistyped.
func asked(t *testing.T, dir, text string) string {
	path := filepath.Join(dir, EstateName)
	require.NoError(t, os.WriteFile(path, []byte(text), 0o600))
	e, err := ReadEstate(path)
	if err != nil {
		return err.Error()
	}
	if len(e.Questions) == 0 {
		return ""
	}
	return e.Questions.Error()
}

// TestSlipsOfTheFingerAreNamed changes a letter or two of a good estate file, anywhere but in notes
// and in the texts that services ask for, which nobody else can know.
func TestSlipsOfTheFingerAreNamed(t *testing.T) {
	dir := t.TempDir()
	require.NoError(t, os.CopyFS(dir, os.DirFS("../../demo/estate")))
	good, err := os.ReadFile(filepath.Join(dir, EstateName))
	require.NoError(t, err)
	require.Empty(t, asked(t, dir, string(good)))
	word := regexp.MustCompile(`[a-zA-Z]{3,}`)
	places := word.FindAllStringIndex(string(good), -1)
	r := rand.New(rand.NewPCG(30, 4))
	named, all := 0, 0
	for all < 600 {
		at := places[r.IntN(len(places))]
		line := string(good[strings.LastIndexByte(string(good[:at[0]]), '\n')+1 : at[0]])
		if strings.Contains(line, "#") || strings.Contains(line, "note:") ||
			strings.Contains(line, `value: "`) {
			continue
		}
		slip := slipped(r, string(good[at[0]:at[1]]))
		all++
		if asked(t, dir, string(good[:at[0]])+slip+string(good[at[1]:])) != "" {
			named++
		}
	}
	t.Logf("%d of %d slips are named", named, all)
	assert.GreaterOrEqual(t, named*60, 55*all)
}

// slipped gives a word as a finger slips: two letters change places, one is missing, one comes
// twice.
func slipped(r *rand.Rand, word string) string {
	for {
		i := r.IntN(len(word) - 1)
		made := word[:i] + word[i+1:i+2] + word[i:i+1] + word[i+2:]
		switch r.IntN(3) {
		case 0:
			made = word[:i] + word[i+1:]
		case 1:
			made = word[:i+1] + word[i:]
		}
		if made != word {
			return made
		}
	}
}

// TestGoodNamesAreNotAskedAbout reads an estate with hundreds of names that somebody means: forms
// of one word, numbers, misspellings that the client owns, other languages and endings.
func TestGoodNamesAreNotAskedAbout(t *testing.T) {
	var b strings.Builder
	b.WriteString("canonical: https://www.northmoor.example\nsite: {addresses: [203.0.113.10], " +
		"also: [northmoor.platform.example]}\n" +
		"carriers:\n  gateway: {by: server, addresses: [203.0.113.20]}\n" +
		"  mill-net: {by: edge, addresses: [198.51.100.80], name-servers: [ns1.mill.example, " +
		"ns2.mill.example]}\ndefaults: {carrier: gateway}\ndomains:\n")
	n := 0
	for name := range strings.FieldsSeq(`northmoor.example norhtmoor.example northmor.example
		northmooor.example northmoors.example northmoor.com northmoor.org northmoor.net northmoor.co.uk
		northmoor.org.uk northmoor.museum northmoor.de northmoor.fr northmoor.nl northmoor.dk northmoor.eu
		northmoor.shop northmoor.info north-moor.example northmoormuseum.example northmoor-museum.example
		northmoormuseums.example northmoor-museums.example museumnorthmoor.example nmt.example nmm.example
		lacemill.example lacemills.example lacemill-museum.example thelacemill.example lace-mill.example
		slatequarry.example slatequarries.example slate-quarry.example slatequary.example quarry.example
		ferryhouse.example ferry-house.example ferryhouses.example ferryhorse.example ferry.example
		møllehuset.example mollehuset.example moellehuset.example möllehuset.example møllehus.example
		northmoor-tickets.example northmoortickets.example northmoor-ticket.example tickets.example
		school-visits.example schoolvisits.example school-visit.example learning.example
		exhibition1998.example exhibition1999.example exhibition2000.example expo98.example expo99.example
		friends-of-northmoor.example friendsofnorthmoor.example friends.example
		stone.example store.example stove.example stole.example angel.example angle.example
		trial.example trail.example united.example untied.example quiet.example quite.example
		a1.example b2.example x.example w.example web.example www1.example archive.example archiv.example
		xn--bnke-ira.example 1848.example 42.example the-mill.example mill.example mills.example`) {
		fmt.Fprintf(&b, "  - {name: %s, hosts: [shop, shops, web2, m], leads-to: /collections/%d/}\n",
			name, n)
		n++
	}
	extra := `  - name: hosts.example
    hosts: [mail, mail2, mx1, img, imgs, static, statics, old, w, w2, ww2, wiki, intra, intranet, dev,
      devel, test, tests, api, apis, blog, blogs, de, dk, en, fr, vpn, sso, stage, staging, cdn, cdn1, cdn2,
      files, file, docs, doc, kiosk, kiosks, audio, video, videos, tour, tours, map, maps, board, boards]
    needed: {click: the mail service, clicks: the mail service, status: the status page}
    wanted:
      - {name: key1._domainkey, type: CNAME, value: key1.hosts-example.dkim.mail.example.}
      - {name: key2._domainkey, type: CNAME, value: key2.hosts-example.dkim.mail.example.}
      - {name: _dmarc, type: TXT, value: "v=DMARC1; p=none; rua=mailto:reports@northmoor.example"}
      - {name: _sip._tls, type: SRV, value: 10 5 443 sip.mail.example.}
      - {name: _github-challenge-northmoor, type: TXT, value: abc}
      - {name: "@", type: TXT, value: "v=spf1 include:_spf.mail.example a:mail.hosts.example ~all"}
      - {name: "@", type: MX, value: 10 mx1.mail.example.}
`
	require.Greater(t, n, 80)
	b.WriteString(extra)
	assert.Empty(t, asked(t, t.TempDir(), b.String()))
}

func TestSlipsThatAreAskedAbout(t *testing.T) {
	estate := func(canonical, more string) string {
		return asked(t, t.TempDir(), "canonical: https://"+canonical+"\nsite: {addresses: "+
			"[203.0.113.10]}\ncarriers: {g: {by: server, addresses: [203.0.113.20]}}\n"+
			"domains:\n  - northmoor.example\n  - name: old.example\n"+more)
	}
	for _, c := range [][3]string{
		{"www.northmoor.example", "", ""},
		{"ww.northmoor.example", "", `1:12: is www.northmoor.example meant: "ww.northmoor.example"`},
		{"wwww.northmoor.example", "", "is www.northmoor.example meant"},
		{"www.northmoor.exmaple", "", "is www.northmoor.example meant"},
		{"www.nortmhoor.example", "", "is www.northmoor.example meant"},
		{"www.northmoor.example", "    hosts: [ww]", "is www meant"},
		{"www.northmoor.example", "    hosts: [ww]\nas-written: [ww]", ""},
		{"www.northmoor.example", "    wanted: [{name: key._domainkey.old.example.old.example, " +
			"type: TXT, value: x}]", "is key._domainkey.old.example meant"},
		{"www.northmoor.example", "    wanted: [{name: _damrc, type: TXT, value: x}]", "is _dmarc meant"},
		{"www.northmoor.example", "    wanted: [{name: m, type: CNAME, value: a.nortmhoor.example.}]",
			"is a.northmoor.example meant"},
		{"www.northmoor.example", "contact: me@northmoor.exampel", "is northmoor.example meant"},
		{"www.northmoor.example", "    wanted: [{name: m, type: CNAME, value: a.host.zzzz.}]",
			"No public name ends in .zzzz"},
	} {
		got := estate(c[0], c[1])
		if c[2] == "" {
			assert.Empty(t, got)
			continue
		}
		assert.Contains(t, got, c[2])
	}
}
