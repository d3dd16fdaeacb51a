// Package test drives the built program as its users do: scripts on files in a temporary folder,
// against the stage.
package test

import (
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/rogpeppe/go-internal/testscript"
)

// clock is the time in scripts, so that dates in them stay what they are.
const clock = "2026-11-01T12:00:00Z"

// folder holds the built program.
var folder string

func TestMain(m *testing.M) {
	var err error
	if folder, err = os.MkdirTemp("", "upperpath-scripts-"); err != nil {
		panic(err)
	}
	program := filepath.Join(folder, "upperpath")
	if runtime.GOOS == "windows" {
		program += ".exe"
	}
	build := exec.Command(
		"go",
		"build",
		"-ldflags",
		"-X upperpath.example/upperpath/internal/cli.Version=v0.0.0-test",
		"-o",
		program,
		"..",
	)
	build.Stderr = os.Stderr
	if err := build.Run(); err != nil {
		panic(err)
	}
	code := m.Run()
	_ = os.RemoveAll(folder)
	os.Exit(code)
}

func TestScripts(t *testing.T) {
	testscript.Run(t, testscript.Params{
		Dir:             "scripts",
		ContinueOnError: true,
		Setup: func(e *testscript.Env) error {
			e.Setenv("PATH", folder+string(os.PathListSeparator)+e.Getenv("PATH"))
			e.Setenv("TMPDIR", e.WorkDir)
			e.Setenv("UPPERPATH_CLOCK", clock)
			e.Setenv("TZ", "UTC")
			return nil
		},
		Cmds: map[string]func(*testscript.TestScript, bool, []string){
			"await":  await,
			"demo":   demoFolder,
			"exits":  exits,
			"schema": conforms,
			"pause":  pause,
			"until":  until,
		},
	})
}

// played is the folder that the demo leaves behind, for all scripts that only need it.
var played = sync.OnceValues(func() (string, error) {
	dir := filepath.Join(folder, "played")
	c := exec.Command(filepath.Join(folder, "upperpath"), "demo", "--dir", dir)
	c.Env = append(os.Environ(), "UPPERPATH_CLOCK="+clock, "TZ=UTC", "TMPDIR="+folder)
	out, err := c.CombinedOutput()
	if err != nil {
		return "", fmt.Errorf("%w: %s", err, out)
	}
	return dir, nil
})

// demo FOLDER gives a script what upperpath demo --dir FOLDER leaves behind.
func demoFolder(ts *testscript.TestScript, _ bool, args []string) {
	dir, err := played()
	ts.Check(err)
	ts.Check(os.CopyFS(ts.MkAbs(args[0]), os.DirFS(dir)))
}

// await FILE... waits until the files are there and not empty.
func await(ts *testscript.TestScript, _ bool, args []string) {
	for _, a := range args {
		path := ts.MkAbs(a)
		for deadline := time.Now().Add(10 * time.Second); ; time.Sleep(20 * time.Millisecond) {
			if info, err := os.Stat(path); err == nil && info.Size() > 0 {
				break
			}
			if time.Now().After(deadline) {
				ts.Fatalf("%s does not come", a)
			}
		}
	}
}

// pause TIME waits, for what a running stage does by itself twice a second.
func pause(ts *testscript.TestScript, _ bool, args []string) {
	d, err := time.ParseDuration(args[0])
	ts.Check(err)
	time.Sleep(d)
}

// until TEXT COMMAND... runs a command, whatever its exit code, again and again until its output
// holds a text.
func until(ts *testscript.TestScript, _ bool, args []string) {
	if len(args) < 2 {
		ts.Fatalf("usage: until TEXT COMMAND...")
	}
	for deadline := time.Now().Add(30 * time.Second); ; time.Sleep(50 * time.Millisecond) {
		_ = ts.Exec(args[1], args[2:]...)
		if strings.Contains(ts.ReadFile("stdout"), args[0]) {
			return
		}
		if time.Now().After(deadline) {
			ts.Fatalf("%q does not come:\n%s", args[0], ts.ReadFile("stdout"))
		}
	}
}

// exits CODE COMMAND... runs a command and looks at its exit code; stdout and stderr are there for
// what follows.
func exits(ts *testscript.TestScript, _ bool, args []string) {
	if len(args) < 2 {
		ts.Fatalf("usage: exits CODE COMMAND...")
	}
	err := ts.Exec(args[1], args[2:]...)
	got := 0
	if err != nil {
		e, ok := err.(*exec.ExitError)
		if !ok {
			ts.Fatalf("%v", err)
		}
		got = e.ExitCode()
	}
	if fmt.Sprint(got) != args[0] {
		ts.Fatalf(
			"exit code %d, want %s\nstdout:\n%s\nstderr:\n%s",
			got,
			args[0],
			ts.ReadFile("stdout"),
			ts.ReadFile("stderr"),
		)
	}
}
