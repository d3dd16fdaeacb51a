package hostile

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
)

// TestOptionsThatNoFileCanHoldAreRefusedFirst hands over values that would become lines of their
// own, or that nothing can listen on: the exit code is that of bad usage, and nothing is written.
func TestOptionsThatNoFileCanHoldAreRefusedFirst(t *testing.T) {
	folder := estateFolder(t)
	for _, server := range []string{"nginx", "apache"} {
		for _, args := range [][]string{
			{"--certificates", "/etc/ssl\nload_module x"}, {"--challenges", "/var\r/www"},
			{"--place", "/etc/\x1b[2J"},
			{"--listen", "http=127.0.0.1:80;"}, {"--listen", "http=:80"}, {"--listen", "http=127.0.0.1:0"},
			{"--listen", "http=127.0.0.1:65536"}, {"--listen", "http=127.0.0.1:-1"}, {"--listen", "http"},
			{"--listen", "http=1.2.3.4:80", "--listen", "http=1.2.3.4:80"},
			{"--listen", "http=1.2.3.4:80", "--listen", "https=1.2.3.4:80"},
		} {
			code, said,
				_ := measured(t, folder, append([]string{"write", server, "--out", "made"}, args...)...)
			assert.Equal(t, 2, code, "%q: %s", args, said)
			assert.NotContains(t, said, "\x1b", args)
			assert.NoDirExists(t, filepath.Join(folder, "made"), args)
		}
	}
	_, err := os.Stat(filepath.Join(folder, "upperpath.yaml"))
	assert.NoError(t, err)
}

// TestTheEstateFileIsNeverReplaced names it as the place for whatever the program writes.
func TestTheEstateFileIsNeverReplaced(t *testing.T) {
	folder := estateFolder(t)
	before, err := os.ReadFile(filepath.Join(folder, "upperpath.yaml"))
	assert.NoError(t, err)
	for _, args := range [][]string{
		{"report", "--figure", "doors", "--out", "upperpath.yaml"}, {"report", "--out", "upperpath.yaml"},
		{"gather", "list.txt", "--to", "upperpath.yaml"}, {"write", "nginx", "--out", "upperpath.yaml"},
		{"write", "sheet", "--out", "upperpath.yaml"},
		{"new", "--out", "upperpath.yaml", "--domain", "a.example",
			"--canonical", "https://www.a.example"},
		{"recheck", "--metrics", "upperpath.yaml", "--resolver", "127.0.0.1:9"},
	} {
		assert.NoError(t,
			os.WriteFile(filepath.Join(folder, "list.txt"), []byte("http://old.example/a\n"), 0o600))
		code, said, _ := measured(t, folder, args...)
		assert.NotZero(t, code, "%v: %s", args, said)
		after, err := os.ReadFile(filepath.Join(folder, "upperpath.yaml"))
		assert.NoError(t, err)
		assert.Equal(t, string(before), string(after), args)
	}
}
