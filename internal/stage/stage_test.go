package stage_test

import (
	"context"
	"fmt"
	"io/fs"
	"math/rand/v2"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"upperpath.example/upperpath/demo"
	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/plan"
	"upperpath.example/upperpath/internal/core/web"
	"upperpath.example/upperpath/internal/files"
	"upperpath.example/upperpath/internal/live"
	"upperpath.example/upperpath/internal/stage"
)

func demoFolder(t *testing.T) string {
	t.Helper()
	dir := t.TempDir()
	require.NoError(t, os.CopyFS(dir, demo.Files()))
	return dir
}

func demoPlan(t *testing.T) *plan.Plan {
	t.Helper()
	e, err := files.ReadEstate(filepath.Join(demoFolder(t), files.EstateName))
	require.NoError(t, err)
	return plan.Make(plan.Input{Estate: e.Estate, Rules: e.Rules, SiteRules: e.SiteRules,
		Pages: e.Pages})
}

func start(t *testing.T, scene stage.Scene) *live.Client {
	t.Helper()
	s, err := stage.Start(scene)
	require.NoError(t, err)
	w, err := live.New(s.Vantage())
	require.NoError(t, err)
	t.Cleanup(func() {
		w.Close()
		require.NoError(t, s.Close())
	})
	return w
}

// TestRehearsedAnswersEqualPredictedOnes asks the stage, over real sockets, what the plan predicts
// in memory.
func TestRehearsedAnswersEqualPredictedOnes(t *testing.T) {
	p := demoPlan(t)
	require.Empty(t, p.Findings)
	scene, err := stage.FromPlan(p)
	require.NoError(t, err)
	w := start(t, scene)
	pieces := []string{
		"/",
		"a",
		"archive",
		"1998",
		"tours",
		"%2F",
		"%61",
		"index.php",
		"shop/",
		"bobbins.html",
		"?q=1",
		"&x",
		"%C3%A5",
		".html",
		"event/",
		"77",
		"..",
		"//",
	}
	random := rand.New(rand.NewPCG(3, 4))
	asked := 0
	for _, d := range p.Doors {
		for range 12 {
			uri := "/"
			for range random.IntN(5) {
				uri += pieces[random.IntN(len(pieces))]
			}
			u, err := web.ParseURL(d.Door.String() + uri)
			require.NoError(t, err)
			want := p.Web.Answer(context.Background(), chain.Ask{URL: u})
			got := w.Answer(context.Background(), chain.Ask{URL: u})
			assert.Equal(
				t,
				fmt.Sprint(want.Status, want.Location, want.Refusal),
				fmt.Sprint(got.Status, got.Location, got.Refusal),
				u.String(),
			)
			if got.TLS != nil {
				assert.Empty(t, got.TLS.Faults, u.String())
			}
			asked++
		}
	}
	assert.Equal(t, 12*len(p.Doors), asked)
}

// TestTheDemoShowsTheFaultsThatItPromises reads the demo's own web.
func TestTheDemoShowsTheFaultsThatItPromises(t *testing.T) {
	scene, err := stage.FromFolder(filepath.Join(demoFolder(t), "stage"), time.Now())
	require.NoError(t, err)
	w := start(t, scene)
	p := demoPlan(t)
	judge := chain.Judge{Now: w.Now(), Estate: p.Estate.Holds, Forwards: p.Forwards}
	var tally chain.Tally
	for _, ask := range p.Asks(true) {
		c := chain.Follow(context.Background(), w, chain.Ask{URL: ask.URL}, ask.Probe)
		judge.Chain(&c, p.Goal(ask.URL))
		tally.AddChain(c)
	}
	codes := map[string]bool{}
	for _, f := range tally.Findings() {
		codes[f.Code.String()] = true
	}
	for _, code := range []string{"wrong-name", "refused", "path-lost", "downgrade", "extra-hop",
		"loop", "no-address",
		"expired", "temporary", "not-redirected", "broken-chain", "expires-soon"} {
		assert.True(t, codes[code], code)
	}
}

func TestACarrierAnswersOnlyForTheHostsThatItCarries(t *testing.T) {
	p := demoPlan(t)
	scene, err := stage.FromPlan(p)
	require.NoError(t, err)
	w := start(t, scene)
	gateway := p.Estate.Carrier("gateway").Addresses[0]
	a := w.Answer(context.Background(),
		chain.Ask{URL: web.MustParseURL("http://ferryhouse.example/"), Address: gateway})
	assert.Equal(t, 421, a.Status)
}

func TestASceneWithFaultsSaysThemAll(t *testing.T) {
	dir := demoFolder(t)
	zone := filepath.Join(dir, "stage", "zones", "northmoor.example.zone")
	require.NoError(t, os.WriteFile(zone, []byte("$INCLUDE /etc/passwd\n@ IN A 192.0.2.300\n"), 0o600))
	require.NoError(t, os.WriteFile(filepath.Join(dir, "stage", "zones", "no zone.zone"), nil, 0o600))
	require.NoError(
		t,
		os.WriteFile(
			filepath.Join(dir, "stage", stage.SceneName),
			[]byte(
				"addresses:\n  192.0.2.999: {80: {say: closed}}\n"+
					"  192.0.2.1: {80: {say: hush}, 443: {certificates: [none], "+
					"answers: [{path: \"/*\"}]}}\n",
			),
			0o600,
		),
	)
	_, err := stage.FromFolder(filepath.Join(dir, "stage"), time.Now())
	require.Error(t, err)
	for _, want := range []string{"192.0.2.999 80", "hush", "no such certificate", "bare *",
		"northmoor.example.zone",
		"not named after a zone"} {
		assert.Contains(t, err.Error(), want)
	}
	assert.NotContains(t, err.Error(), "root:")
	_, err = stage.FromFolder(t.TempDir(), time.Now())
	assert.ErrorContains(t, err, "no scene to play")
}

func TestDemoFilesAreEmbedded(t *testing.T) {
	for _, name := range []string{"upperpath.yaml", "rules.csv", "pages.txt", "stage/web.yaml",
		"stage/zones/xn--mllehuset-l8a.example.zone"} {
		_, err := fs.Stat(demo.Files(), name)
		assert.NoError(t, err, name)
	}
}
