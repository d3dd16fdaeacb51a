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

	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/problem"
)

// writing is held by whoever writes a file, and by Settle against all of them.
var writing sync.RWMutex

// Settle waits until no file is being written any more, and lets no other begin: for a program that
// is about to end.
func Settle() { writing.Lock() }

// writeWhole writes a file whole or not at all, whatever was there: into a temporary file beside
// it, synced, then renamed. Where a file is there already it keeps its mode, and its owner where
// the system lets us set it; a new one has what the umask leaves of 0666. Behind a symbolic link
// the file that it leads to is written; what is no plain file, such as a terminal, is written to as
// it is. The error says what could not be done, and wraps the system's.
func writeWhole(path string, data []byte) error {
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
		return fmt.Errorf("a folder exists: %w", fs.ErrExist)
	default:
		// one that may not be written to is not replaced either
		in, err := os.OpenFile(target, os.O_WRONLY, 0)
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
		name := filepath.Join(filepath.Dir(path),
			fmt.Sprintf(".%s.%08x", filepath.Base(path), rand.Uint32()))
		f, err := os.OpenFile(name, os.O_WRONLY|os.O_CREATE|os.O_EXCL, 0o666)
		if err == nil || !errors.Is(err, fs.ErrExist) || tries > 100 {
			return f, err
		}
	}
}

// markWord stands in the line of a file that says that the program made it, before the sum of the
// rest of the file.
const markWord = "Made by Upper Path; unedited while this fits: "

// Made is a file that the program makes: it may replace what it made before and nobody edited, and
// nothing else. A line on top marks it, in comment signs.
type Made struct {
	Path          string
	Data          []byte
	Opens, Closes string // of a comment
	Form          Form   // where its mark stands
	Before        bool   // the file that it replaces is kept, with BeforeEnding behind its name
}

// Form says where the mark of a file stands.
type Form int

// The forms.
const (
	Commented Form = iota // in its first line
	Table                 // in its last line: the first one has to stay its head
	PNG                   // in a text chunk right before its end (PNG, third edition, section 11.3.3)
)

// WriteMade writes files that the program makes: all of them, or none where one has to stay. What
// is there already is replaced only where it is the program's own and nobody has edited it, or with
// force.
func WriteMade(force bool, all ...Made) error {
	for _, m := range all {
		if err := mayReplace(m.Path, force); err != nil {
			return err
		}
	}
	for _, m := range all {
		if err := m.keepBefore(); err != nil {
			return err
		}
		data := m.Data
		switch m.Form {
		case Table:
			data = append(slices.Clone(data), []byte("# "+markWord+sum(data)+"\r\n")...)
		case PNG:
			data = markedPNG(data)
		default:
			data = append([]byte(m.Opens+markWord+sum(data)+m.Closes+"\n"), data...)
		}
		if err := writeWhole(m.Path, data); err != nil {
			return err
		}
	}
	return nil
}

// BeforeEnding is behind the name of a file that was replaced.
const BeforeEnding = ".before"

// keepBefore keeps the file that another one replaces, where that is wanted and they differ.
func (m Made) keepBefore() error {
	if !m.Before {
		return nil
	}
	old, err := Read(m.Path, MostTable)
	switch {
	case errors.Is(err, fs.ErrNotExist):
		return nil
	case err != nil:
		return fmt.Errorf("reading %s: %w", m.Path, err)
	case bytes.HasSuffix(old, append([]byte("\n"), m.Data...)):
		return nil // what is written is there already
	}
	return writeWhole(m.Path+BeforeEnding, old)
}

// ErrExists says that a file with other contents is there already.
var ErrExists = errors.New("the file exists already, with other contents")

// WriteNew writes a file, and replaces none but with force: where a file with other contents is
// there, the error is ErrExists.
func WriteNew(path string, data []byte, force bool) error {
	old, err := Read(path, int64(len(data)))
	switch {
	case force || errors.Is(err, fs.ErrNotExist):
		return writeWhole(path, data)
	case errors.Is(err, ErrTooLarge) || err == nil && !bytes.Equal(old, data):
		return fmt.Errorf("%s: %w", path, ErrExists)
	}
	return err
}

// ErrChanged says that somebody else changed a file in the meantime.
var ErrChanged = errors.New("the file was changed in the meantime; nothing was written")

// Change changes a file that is the consultant's own: what comes of the text that is there takes
// its place, unless somebody else changed it by then (ErrChanged).
func Change(path string, change func(text []byte) ([]byte, error)) error {
	before, err := Read(path, MostTable)
	if err != nil {
		return fmt.Errorf("reading %s: %w", path, err)
	}
	after, err := change(slices.Clone(before))
	if err != nil || bytes.Equal(before, after) {
		return err
	}
	if now, err := Read(path, MostTable); err != nil || !bytes.Equal(now, before) {
		return fmt.Errorf("%s: %w", path, errors.Join(ErrChanged, err))
	}
	return writeWhole(path, after)
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

// mostOwn is how large a file may be that is looked at before it is replaced; none that the program
// makes comes near.
const mostOwn = 4 << 30

// mayReplace gives nil where a file may be replaced, or an error that says why it has to stay.
func mayReplace(path string, force bool) error {
	if force {
		return nil
	}
	old, err := Read(path, mostOwn)
	if errors.Is(err, fs.ErrNotExist) {
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
	p := problem.Problem{File: path, Fault: fact.FileOfOthers{}}
	if made {
		if strings.HasPrefix(mark, sum(rest)) {
			return nil
		}
		p.Fault = fact.FileEdited{}
	}
	return problem.List{p}
}

func sum(data []byte) string {
	h := sha256.Sum256(data)
	return hex.EncodeToString(h[:8])
}
