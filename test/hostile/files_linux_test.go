package hostile

import (
	"bytes"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// as runs the program in a folder as a user without rights, where we are root; else as we are.
func as(t *testing.T, folder string, args ...string) (int, string) {
	t.Helper()
	c := exec.Command(program, args...)
	c.Dir = folder
	if os.Geteuid() == 0 {
		c.SysProcAttr = &syscall.SysProcAttr{Credential: &syscall.Credential{Uid: 65534, Gid: 65534}}
		c.Env = append(os.Environ(), "HOME=/nonexistent")
	}
	said, err := c.CombinedOutput()
	if err != nil {
		require.IsType(t, &exec.ExitError{}, err)
	}
	return c.ProcessState.ExitCode(), string(said)
}

// open lets others into the folders above one.
func open(t *testing.T, folder string) {
	t.Helper()
	for at := folder; at != "/" && at != os.TempDir(); at = filepath.Dir(at) {
		require.NoError(t, os.Chmod(at, 0o755))
	}
}

func TestAStoreThatCannotBeWrittenToIsReadAndSaid(t *testing.T) {
	folder := demo(t)
	code, said := run(t, folder, nil, "survey", "--list")
	require.Zero(t, code, said)
	open(t, folder)
	open(t, filepath.Dir(program))
	require.NoError(t, filepath.WalkDir(folder, func(path string, d os.DirEntry, err error) error {
		if err == nil && d.IsDir() {
			return os.Chmod(path, 0o555)
		}
		return os.Chmod(path, 0o444)
	}))
	t.Cleanup(func() {
		_ = filepath.WalkDir(folder, func(path string, d os.DirEntry, _ error) error {
			return os.Chmod(path, 0o755)
		})
	})
	for _, reading := range []string{
		"report", "report --list", "survey --list", "survey --show 1", "plan", "prove",
		"report --format json",
	} {
		code, said := as(t, folder, strings.Fields(reading)...)
		assert.LessOrEqual(t, code, 1, "%s: %s", reading, said)
		assert.NotContains(t, said, "cannot be used", reading)
	}
	for _, writing := range []string{
		"audit --resolver 127.0.0.1:9 --point old.example=127.0.0.1:9",
		"survey --resolver 127.0.0.1:9 --timeout 1s",
	} {
		code, said := as(t, folder, strings.Fields(writing)...)
		assert.Equal(t, 3, code, "%s: %s", writing, said)
		assert.Contains(t, said, "Check the permissions of", writing)
		assert.Contains(t, said, "--forget", writing)
		assert.NotContains(t, said, "move it away", writing)
	}
	before, err := os.ReadFile(filepath.Join(folder, "rules.csv"))
	require.NoError(t, err)
	code, said = as(t, folder, "rules", "straighten", "--write")
	assert.Contains(t, []int{0, 3}, code, said)
	after, err := os.ReadFile(filepath.Join(folder, "rules.csv"))
	require.NoError(t, err)
	assert.Equal(t, string(before), string(after))
}

// TestAFullDiskIsSaid runs itself again where it may mount a small disk.
func TestAFullDiskIsSaid(t *testing.T) {
	if os.Getenv("HOSTILE_INSIDE") == "" {
		again(t, syscall.CLONE_NEWNS)
		return
	}
	program = os.Getenv("HOSTILE_INSIDE")
	folder := demo(t)
	disk := t.TempDir()
	require.NoError(t, syscall.Mount("tmpfs", disk, "tmpfs", 0, "size=768k"))
	t.Cleanup(func() { require.NoError(t, syscall.Unmount(disk, syscall.MNT_DETACH)) })
	for _, file := range []string{"upperpath.yaml", "rules.csv", "pages.txt", "site-rules.csv"} {
		if text, err := os.ReadFile(filepath.Join(folder, file)); err == nil {
			require.NoError(t, os.WriteFile(filepath.Join(disk, file), text, 0o600))
		}
	}
	fill, err := os.Create(filepath.Join(disk, "fill"))
	require.NoError(t, err)
	for block := bytes.Repeat([]byte{1}, 4096); err == nil; {
		_, err = fill.Write(block)
	}
	require.ErrorIs(t, err, syscall.ENOSPC)
	for _, command := range []string{"survey --resolver 127.0.0.1:9 --timeout 1s", "write nginx"} {
		code, said := run(t, disk, nil, strings.Fields(command)...)
		assert.Equal(t, 3, code, "%s: %s", command, said)
		assert.Regexp(t, "no space left on device|the disk is full .*Make room", said, command)
	}
	code, said := run(t, disk, nil, "rules", "straighten", "--write")
	assert.Contains(t, []int{0, 3}, code, said)
	entries, err := os.ReadDir(disk)
	require.NoError(t, err)
	for _, e := range entries {
		assert.False(t, strings.HasPrefix(e.Name(), ".rules"), "a temporary file is left: %s", e.Name())
	}
}

// again runs the test that calls it once more, in namespaces of its own.
func again(t *testing.T, namespaces uintptr) {
	t.Helper()
	c := exec.Command(os.Args[0], "-test.run", "^"+t.Name()+"$", "-test.v")
	c.Env = append(os.Environ(), "HOSTILE_INSIDE="+program)
	c.SysProcAttr = &syscall.SysProcAttr{Cloneflags: namespaces}
	if os.Geteuid() != 0 {
		c.SysProcAttr.Cloneflags |= syscall.CLONE_NEWUSER
		c.SysProcAttr.UidMappings = []syscall.SysProcIDMap{
			{ContainerID: 0, HostID: os.Geteuid(), Size: 1}}
	}
	out, err := c.CombinedOutput()
	if err != nil && strings.Contains(err.Error(), "not permitted") ||
		strings.Contains(string(out), "operation not permitted") {
		t.Skip("SKIPPED: this machine lets us make no namespaces of our own")
	}
	require.NoError(t, err, string(out))
	require.Contains(t, string(out), "--- PASS")
}

func TestFilesKeepWhatTheyAre(t *testing.T) {
	folder := t.TempDir()
	write := func(name, text string, mode os.FileMode) string {
		path := filepath.Join(folder, name)
		require.NoError(t, os.WriteFile(path, []byte(text), mode))
		require.NoError(t, os.Chmod(path, mode))
		return path
	}
	mode := func(path string) os.FileMode {
		s, err := os.Stat(path)
		require.NoError(t, err)
		return s.Mode().Perm()
	}
	chain := "old,new\nold.example/a,https://old.example/b\nold.example/b,/c\n"
	write("upperpath.yaml", estate+"rules: rules.csv\n", 0o600)
	require.NoError(t, os.Mkdir(filepath.Join(folder, "kept"), 0o755))
	actual := write("kept/real.csv", chain, 0o640)
	if os.Geteuid() == 0 {
		require.NoError(t, os.Chown(actual, 65534, 65534))
	}
	require.NoError(t, os.Symlink("kept/real.csv", filepath.Join(folder, "link.csv")))
	require.NoError(t, os.Symlink("link.csv", filepath.Join(folder, "rules.csv")))
	code, said := run(t, folder, nil, "rules", "straighten", "--write")
	require.Zero(t, code, said)
	text, err := os.ReadFile(actual)
	require.NoError(t, err)
	assert.Contains(t, string(text), "old.example/a,/c", "the file behind the links is changed")
	to, err := os.Readlink(filepath.Join(folder, "rules.csv"))
	require.NoError(t, err, "the link stays one")
	assert.Equal(t, "link.csv", to)
	assert.Equal(t, os.FileMode(0o640), mode(actual))
	if os.Geteuid() == 0 {
		s, err := os.Stat(actual)
		require.NoError(t, err)
		assert.EqualValues(t, 65534, s.Sys().(*syscall.Stat_t).Uid)
	}
	for mask, want := range map[string]os.FileMode{"077": 0o600, "002": 0o664, "022": 0o644} {
		c := exec.Command("sh", "-c", "umask "+mask+" && exec '"+program+"' write nginx --out out"+mask)
		c.Dir = folder
		out, err := c.CombinedOutput()
		require.NoError(t, err, string(out))
		assert.Equal(t, want, mode(filepath.Join(folder, "out"+mask, "nginx.conf")), mask)
	}
	require.NoError(t, os.Symlink("later.csv", filepath.Join(folder, "dangling")))
	code, said = run(t, folder, nil, "write", "nginx", "--out", "out022", "--force")
	require.Zero(t, code, said)
	assert.Equal(t, os.FileMode(0o644), mode(filepath.Join(folder, "out022", "nginx.conf")))
	shown, err := exec.Command("sh", "-c",
		"cd '"+folder+"' && '"+program+"' new --help >/dev/null; '"+program+
			"' rules import kept/real.csv --format csv | head -1").CombinedOutput()
	require.NoError(t, err, string(shown))
}
