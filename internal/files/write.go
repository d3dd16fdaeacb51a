package files

import (
	"bytes"
	"crypto/sha256"
	"encoding/binary"
	"encoding/hex"
	"errors"
	"fmt"
	"hash/crc32"
	"io/fs"
	"math/rand/v2"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"

	"upperpath.example/upperpath/internal/core/problem"
)

// writing is held by whoever writes a file, and by Settle against all of them.
var writing sync.RWMutex

// Settle waits until no file is being written any more, and lets no other begin: for a program that is about to end.
func Settle() { writing.Lock() }

// Write writes a file whole or not at all: into a temporary file beside it, synced, then renamed. Where a file is there
// already it keeps its mode, and its owner where the system lets us set it; a new one has what the umask leaves of
// 0666. Behind a symbolic link the file that it leads to is written; what is no plain file, such as a terminal, is
// written to as it is. The error says what could not be done, and wraps the system's.
func Write(path string, data []byte) error {
	writing.RLock()
	defer writing.RUnlock()
	if err := replace(path, data); err != nil {
		return fmt.Errorf("writing %s: %w", path, err)
	}
	return nil
}

func replace(path string, data []byte) error {
	target, err := behindLinks(path)
	if err != nil {
		return err
	}
	if err := os.MkdirAll(filepath.Dir(target), 0o777); err != nil {
		return err
	}
	before, err := os.Stat(target)
	switch {
	case errors.Is(err, fs.ErrNotExist):
		before = nil
	case err != nil:
		return err
	case before.IsDir():
		return fmt.Errorf("a folder is there: %w", fs.ErrExist)
	default:
		in, err := os.OpenFile(target, os.O_WRONLY, 0) // one that may not be written to is not replaced either
		if err != nil {
			return err
		}
		if !before.Mode().IsRegular() {
			_, err = in.Write(data)
			return errors.Join(err, in.Close())
		}
		if err := in.Close(); err != nil {
			return err
		}
	}
	temporary, err := newBeside(target)
	if err != nil {
		return err
	}
	defer os.Remove(temporary.Name())
	_, err = temporary.Write(data)
	if before != nil {
		keepOwner(temporary, before)
		err = errors.Join(err, temporary.Chmod(before.Mode().Perm()))
	}
	if err := errors.Join(err, temporary.Sync(), temporary.Close()); err != nil {
		return err
	}
	return os.Rename(temporary.Name(), target)
}

// behindLinks gives where a path leads, also where nothing is there yet.
func behindLinks(path string) (string, error) {
	for range 40 { // as many as the system follows
		to, err := os.Readlink(path)
		if err != nil {
			return path, nil // no link: a file, or nothing yet
		}
		if !filepath.IsAbs(to) {
			to = filepath.Join(filepath.Dir(path), to)
		}
		path = to
	}
	return "", errors.New("its symbolic links form a loop")
}

// newBeside makes a new file beside another, with the mode that the umask leaves.
func newBeside(path string) (*os.File, error) {
	for tries := 0; ; tries++ {
		name := filepath.Join(filepath.Dir(path), fmt.Sprintf(".%s.%08x", filepath.Base(path), rand.Uint32()))
		f, err := os.OpenFile(name, os.O_WRONLY|os.O_CREATE|os.O_EXCL, 0o666)
		if err == nil || !errors.Is(err, fs.ErrExist) || tries > 100 {
			return f, err
		}
	}
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

// WriteOwnPNG does the same for a PNG picture: the mark is a text chunk right before its end (PNG, third edition,
// section 11.3.3).
func WriteOwnPNG(path string, data []byte, force bool) error {
	if err := MayReplace(path, force); err != nil {
		return err
	}
	return Write(path, markedPNG(data))
}

// Of a PNG picture: how it begins, and how many octets its last chunk has.
const (
	pngHead = "\x89PNG\r\n\x1a\n"
	pngEnd  = 12
)

// markedPNG gives a picture with the mark.
func markedPNG(data []byte) []byte {
	if len(data) < len(pngHead)+pngEnd {
		return data
	}
	text := []byte("tEXtComment\x00" + markWord + sum(data))
	chunk := binary.BigEndian.AppendUint32(nil, uint32(len(text)-4))
	chunk = binary.BigEndian.AppendUint32(append(chunk, text...), crc32.ChecksumIEEE(text))
	end := len(data) - pngEnd
	return slices.Concat(data[:end], chunk, data[end:])
}

// ownPNG reports whether a picture is one that this program made, and nobody edited since.
func ownPNG(data []byte) bool {
	chunk := len(markedPNG(make([]byte, len(pngHead)+pngEnd))) - len(pngHead) - pngEnd
	at := len(data) - pngEnd - chunk
	if !strings.HasPrefix(string(data), pngHead) || at < len(pngHead) {
		return false
	}
	return bytes.Equal(markedPNG(slices.Concat(data[:at], data[at+chunk:])), data)
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
	if ownPNG(old) {
		return nil
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
