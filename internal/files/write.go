package files

import (
	"bytes"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"upperpath.example/upperpath/internal/core/problem"
)

// Write writes a file whole or not at all: into a temporary file beside it, synced, then renamed.
func Write(path string, data []byte) error {
	if err := os.MkdirAll(filepath.Dir(path), 0o777); err != nil {
		return fmt.Errorf("making the folder of %s: %w", path, err)
	}
	temporary, err := os.CreateTemp(filepath.Dir(path), "."+filepath.Base(path)+".*")
	if err != nil {
		return fmt.Errorf("writing %s: %w", path, err)
	}
	defer os.Remove(temporary.Name())
	_, err = temporary.Write(data)
	err = errors.Join(err, temporary.Sync(), temporary.Chmod(0o644), temporary.Close())
	if err != nil {
		return fmt.Errorf("writing %s: %w", path, err)
	}
	if err := os.Rename(temporary.Name(), path); err != nil {
		return fmt.Errorf("writing %s: %w", path, err)
	}
	return nil
}

// markWord stands in the line of a file that says that the program made it, before the sum of the rest of the file.
const markWord = "Made by Upper Path; unedited while this fits: "

// WriteOwn writes a file that the program makes, with a line on top, in comment signs, that marks it as such. A file
// that is there already is replaced only if it is the program's own and nobody has edited it, or with force.
func WriteOwn(path string, data []byte, opens, closes string, force bool) error {
	if err := MayReplace(path, force); err != nil {
		return err
	}
	return Write(path, append([]byte(opens+markWord+sum(data)+closes+"\n"), data...))
}

// WriteOwnTable does the same for a table, whose first line has to stay its head: the mark stands in the last line.
func WriteOwnTable(path string, data []byte, force bool) error {
	if err := MayReplace(path, force); err != nil {
		return err
	}
	return Write(path, append(slices.Clone(data), []byte("# "+markWord+sum(data)+"\r\n")...))
}

// MayReplace tells whether WriteOwn would write: nil, or an error that says why the file that is there has to stay.
func MayReplace(path string, force bool) error {
	old, err := os.ReadFile(path)
	if errors.Is(err, os.ErrNotExist) || force {
		return nil
	}
	if err != nil {
		return fmt.Errorf("looking at %s: %w", path, err)
	}
	first, rest, _ := bytes.Cut(old, []byte("\n"))
	_, mark, made := strings.Cut(string(first), markWord)
	if at := bytes.LastIndex(bytes.TrimRight(old, "\r\n"), []byte("\n")) + 1; !made && at > 0 {
		_, mark, made = strings.Cut(string(old[at:]), markWord)
		rest = old[:at]
	}
	p := problem.Problem{
		File:     path,
		Says:     "the file was not made by this program",
		Expected: "a new file",
		Remedy:   "choose another place, or replace it with --force",
	}
	if made {
		if strings.HasPrefix(mark, sum(rest)) {
			return nil
		}
		p.Says, p.Remedy = "the file was edited since this program made it", "keep what you changed, then replace it with "+
			"--force"
	}
	return problem.List{p}
}

func sum(data []byte) string {
	h := sha256.Sum256(data)
	return hex.EncodeToString(h[:8])
}
