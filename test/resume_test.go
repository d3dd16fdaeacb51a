package test

import (
	"database/sql"
	"encoding/pem"
	"fmt"
	"math/rand/v2"
	"net/http"
	"net/http/httptest"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	_ "modernc.org/sqlite"
)

// TestWhatIsKeptIsNotAskedAgain kills an audit of old URLs again and again, and goes on each time:
// what was kept by then is not asked once more, what several old URLs lead to is asked by few, and
// in the end all are there once.
func TestWhatIsKeptIsNotAskedAgain(t *testing.T) {
	const urls = 4000
	var lock sync.Mutex
	asked := map[string]int{}
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		lock.Lock()
		asked[r.URL.Path]++
		lock.Unlock()
		if strings.HasPrefix(r.URL.Path, "/old/") {
			time.Sleep(2 * time.Millisecond)
			http.Redirect(w, r, "/page", http.StatusMovedPermanently)
		}
	}))
	defer server.Close()
	dir := t.TempDir()
	list := "url,weight\n"
	for i := range urls {
		list += fmt.Sprintf("http://old.example/old/%d,%d\n", i, i%7)
	}
	for name, text := range map[string]string{"old-urls.csv": list,
		"upperpath.yaml": "canonical: https://www.n.example\n" +
			"site: {addresses: [203.0.113.10]}\ncarriers: {g: {by: server, addresses: [203.0.113.20]}}\n" +
			"defaults: {carrier: g}\ndomains: [n.example, old.example]\n"} {
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte(text), 0o600))
	}
	audit := func(more ...string) *exec.Cmd {
		point := "old.example:80=" + strings.TrimPrefix(server.URL, "http://")
		c := exec.Command(
			filepath.Join(folder, "upperpath"),
			append([]string{"audit", "--old-urls", "old-urls.csv", "--point",
				point, "--parallel", "16", "--per-host", "16", "--fail-on", "never", "--format", "json"},
				more...)...)
		c.Dir = dir
		return c
	}
	kept := func() []string {
		if _, err := os.Stat(filepath.Join(dir, ".upperpath", "store.db")); err != nil {
			return nil // not begun
		}
		db, err := sql.Open("sqlite", "file:"+filepath.Join(dir, ".upperpath", "store.db"))
		require.NoError(t, err)
		defer db.Close()
		rows, err := db.Query("SELECT url FROM old_followed ORDER BY at")
		if err != nil && strings.Contains(err.Error(), "no such table") {
			return nil
		}
		require.NoError(t, err)
		defer rows.Close()
		var all []string
		for rows.Next() {
			var u string
			require.NoError(t, rows.Scan(&u))
			all = append(all, strings.TrimPrefix(u, "http://old.example"))
		}
		return all
	}
	counts := func() map[string]int {
		lock.Lock()
		defer lock.Unlock()
		made := map[string]int{}
		for k, n := range asked {
			made[k] = n
		}
		return made
	}
	runs := 0
	for range 6 {
		var c *exec.Cmd
		if len(kept()) == 0 {
			c = audit()
		} else {
			c = audit("--resume")
		}
		require.NoError(t, c.Start())
		runs++
		time.Sleep(100*time.Millisecond + rand.N(500*time.Millisecond))
		_ = c.Process.Kill()
		_ = c.Wait()
		there, before := kept(), counts()
		if len(there) == 0 {
			continue
		}
		again := audit("--resume")
		require.NoError(t, again.Start())
		runs++
		time.Sleep(rand.N(300 * time.Millisecond))
		_ = again.Process.Kill()
		_ = again.Wait()
		after := counts()
		for _, path := range there {
			require.Equal(t, before[path], after[path], "%s was kept", path)
		}
	}
	last := audit("--resume")
	if len(kept()) == 0 {
		last = audit()
	}
	out, err := last.CombinedOutput()
	require.NoError(t, err, string(out[:min(len(out), 2000)]))
	there := kept()
	require.Len(t, there, urls)
	for i, path := range there {
		require.Equal(t, fmt.Sprintf("/old/%d", i), path, "each once, in the order of the list")
	}
	assert.LessOrEqual(t, counts()["/page"], runs+1, "asked once in each run")
	// Nothing is left to ask.
	before := counts()
	out, err = audit("--resume").CombinedOutput()
	require.NoError(t, err, string(out[:min(len(out), 2000)]))
	assert.Equal(t, before, counts())
	assert.Contains(t, string(out), `"listed": 4000`)
	assert.Contains(t, string(out), "was complete; nothing was requested")

	// Where the redirect map changed, what should lead elsewhere now is asked and judged anew, and
	// nothing else is.
	write := func(name, text string) {
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte(text), 0o600))
	}
	asksAnew := func(n int, changed string) {
		t.Helper()
		before := counts()
		out, err := audit("--resume").CombinedOutput()
		require.NoError(t, err, string(out[:min(len(out), 2000)]))
		assert.Contains(t, string(out), changed)
		again := 0
		for path, times := range counts() {
			if strings.HasPrefix(path, "/old/") && times > before[path] {
				again++
			}
		}
		assert.Equal(t, n, again, changed)
	}
	estate, err := os.ReadFile(filepath.Join(dir, "upperpath.yaml"))
	require.NoError(t, err)
	write("rules.csv", "old,new\n")
	write("upperpath.yaml", string(estate)+"rules: rules.csv\n")
	asksAnew(urls,
		"the estate file and the redirect map changed: all of its 4000 URLs are requested again")
	write("rules.csv",
		"old,new\nold.example/old/7,/page/\nold.example/old/8,/page\nold.example/old/9,/old/9\n")
	asksAnew(2,
		"the redirect map changed: of its 4000 URLs, those with the same goal (3998) are kept")
	write("rules.csv", "old,new\nold.example/old/8,/page\nold.example/old/7,/page/\n")
	asksAnew(0,
		"the redirect map changed: of its 4000 URLs, those with the same goal (4000) are kept")
	write("upperpath.yaml", string(estate)+"rules: rules.csv\npolicy: {hops: 2}\n")
	asksAnew(urls, "the estate file changed: all of its 4000 URLs")
	out, err = audit("--resume", "--timeout", "9s", "--point",
		"x.old.example=127.0.0.1").CombinedOutput()
	require.NoError(t, err, string(out[:min(len(out), 2000)]))
	assert.Contains(t, string(out), "the vantage changed")
	// The certificates that a vantage file trusts are of the vantage, and how long it waits is not.
	secure := httptest.NewTLSServer(nil)
	defer secure.Close()
	trust := string(pem.EncodeToMemory(
		&pem.Block{Type: "CERTIFICATE", Bytes: secure.Certificate().Raw}))
	for _, step := range []struct{ trust, vantage, says string }{
		{trust, "trust: ca.pem\n", "the vantage changed"},
		{trust, "trust: ca.pem\ntimeout: 9s\n", "was complete"},
		{trust + trust, "trust: ca.pem\n", "the vantage changed"},
		{trust + trust, "trust: ca.pem\n", "was complete"},
	} {
		write("ca.pem", step.trust)
		write("office.yaml", step.vantage)
		out, err = audit("--resume", "--from", "office.yaml").CombinedOutput()
		require.NoError(t, err, string(out[:min(len(out), 2000)]))
		assert.Contains(t, string(out), step.says, step.vantage)
	}
}
