package files

import (
	"errors"
	"fmt"
	"io"
	"os"
	"runtime/debug"
)

// How large files may be that are read whole, in octets.
const (
	MostTable  = 4 << 30  // tables, zones and lists, whose text stays in memory once
	MostConfig = 64 << 20 // configurations of servers
	MostSmall  = 8 << 20  // what people write: estate files, words for the client
	MostJSON   = 1 << 30  // what this program keeps or hands out
)

// ErrTooLarge says that a file is larger than what is read of its kind.
var ErrTooLarge = errors.New("it is too large to read")

// Read reads a whole file of so many octets at most; a larger one, or one without end, is
// ErrTooLarge. It takes what is no plain file too, such as a pipe. Other errors are the system's.
func Read(path string, most int64) ([]byte, error) {
	f, err := os.Open(path)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	return readAll(f, most)
}

func readAll(f *os.File, most int64) ([]byte, error) {
	size := int64(0)
	if info, err := f.Stat(); err == nil && info.Mode().IsRegular() {
		if size = info.Size(); size > most {
			return nil, tooLarge(most)
		}
	}
	data := make([]byte, 0, size+1) // one more, so that the end is found without growing
	for {
		n, err := f.Read(data[len(data):cap(data)])
		data = data[:len(data)+n]
		switch {
		case int64(len(data)) > most:
			return nil, tooLarge(most)
		case errors.Is(err, io.EOF):
			return data, nil
		case err != nil:
			return nil, err
		case len(data) == cap(data):
			data = append(data, 0)[:len(data)]
		}
	}
}

// tooLarge is an ErrTooLarge that knows its bound.
type tooLarge int64

func (most tooLarge) Error() string {
	return fmt.Sprintf("it has more than %d octets", int64(most))
}
func (most tooLarge) Unwrap() error { return ErrTooLarge }

// largeInput is from how many octets of one file on memory is minded.
const largeInput = 4 << 20

// InProportion has the collector work harder from here on, where a file of so many octets was
// read, so that memory stays in proportion to it: ten times as much, and 100 MB.
func InProportion(octets int) {
	if octets > largeInput {
		debug.SetMemoryLimit(int64(9*octets + 80<<20)) // beside the heap there is the program itself
	}
}
