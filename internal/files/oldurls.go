package files

import (
	"bufio"
	"bytes"
	"cmp"
	"compress/gzip"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"

	"github.com/klauspost/compress/zstd"
	"golang.org/x/text/encoding/unicode"
	"golang.org/x/text/transform"
	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/old"
	"upperpath.example/upperpath/internal/core/problem"
	"upperpath.example/upperpath/internal/core/web"
)

// OldURLs reads old URLs from files of others: sitemaps and feeds, access logs, tables, lists,
// records of a browser (HAR).
type OldURLs struct {
	To     old.Sink
	Door   web.Door // whose paths they are, where a file names no host; the zero value: nobody's
	URL    string   // the column of tables with addresses; "": one of the usual names
	Weight string   // the column with the weight; "": one of the usual names
	Read   func(int64)
	Stop   func() error // an error ends the reading
	Most   int64        // octets that a compressed source may unpack to; 0: mostUnpacked

	Maps []string // sitemaps that an index named, in order
}

// Bounds of what is read.
const (
	mostLogLine  = 64 << 10
	mostUnpacked = 64 << 30 // octets that a compressed file may hold
	mostSheet    = 256 << 20
	mostSitemaps = 50_000
	mostHAR      = 1 << 30
	mostXMLName  = 64 << 10
)

// Add reads a file as what it is. The error is a problem.List, or that of Stop.
func (o *OldURLs) Add(path string) error {
	f, err := os.Open(path)
	if err != nil {
		return problem.List{unreadable(path, err)}
	}
	defer f.Close()
	if strings.EqualFold(filepath.Ext(path), ".xlsx") {
		return o.workbook(path)
	}
	return o.AddFrom(filepath.Base(path), path, f)
}

// AddFrom does the same with what a reader gives. name is what the source is called, path what
// errors name.
func (o *OldURLs) AddFrom(name, path string, from io.Reader) error {
	counted := &countingReader{from: from, read: o.Read}
	plain, closes, err := unpacked(counted, cmp.Or(o.Most, mostUnpacked))
	if err != nil {
		return problem.List{
			{File: path, Fault: fact.NotUnpacked{Why: err.Error()}},
		}
	}
	defer closes()
	r := bufio.NewReaderSize(plain, 256<<10)
	head, _ := r.Peek(4 << 10)
	switch {
	case bytes.HasPrefix(head, []byte("\xff\xfe")), bytes.HasPrefix(head, []byte("\xfe\xff")):
		r = bufio.NewReaderSize(
			transform.NewReader(r, unicode.UTF16(unicode.LittleEndian, unicode.UseBOM).NewDecoder()),
			64<<10,
		)
		head, _ = r.Peek(4 << 10)
	case bytes.HasPrefix(head, []byte("\xef\xbb\xbf")):
		_, _ = r.Discard(3)
		head = head[3:]
	}
	start := bytes.TrimLeft(head, " \t\r\n")
	for _, kind := range oldForms {
		if kind.fits(start) {
			return kind.read(o, name, path, r)
		}
	}
	return o.list(name, path, r)
}

// oldForms is the table of what a text can be beside a list: a new form is a file and a row. The
// first that fits its beginning is meant.
var oldForms = []struct {
	fits func(start []byte) bool
	read func(o *OldURLs, name, path string, r *bufio.Reader) error
}{
	{isMarkup, (*OldURLs).markup},
	{isJSONLog, (*OldURLs).jsonLog},
	{isHAR, (*OldURLs).har},
	{isLog, (*OldURLs).log},
	{isExtended, (*OldURLs).extended},
	{isTable, (*OldURLs).table},
}

// countingReader tells how much was read.
type countingReader struct {
	from io.Reader
	read func(int64)
}

func (c *countingReader) Read(p []byte) (int, error) {
	n, err := c.from.Read(p)
	if c.read != nil {
		c.read(int64(n))
	}
	return n, err
}

// unpacked gives what a stream holds, unpacked where it is compressed.
func unpacked(from io.Reader, most int64) (io.Reader, func(), error) {
	r := bufio.NewReaderSize(from, 64<<10)
	head, _ := r.Peek(4)
	switch {
	case bytes.HasPrefix(head, []byte("\x1f\x8b")):
		z, err := gzip.NewReader(r)
		if err != nil {
			return nil, nil, err
		}
		return &bounded{from: z, most: most}, func() { _ = z.Close() }, nil
	case bytes.Equal(head, []byte("\x28\xb5\x2f\xfd")):
		z, err := zstd.NewReader(r, zstd.WithDecoderMaxMemory(256<<20), zstd.WithDecoderConcurrency(1))
		if err != nil {
			return nil, nil, err
		}
		return &bounded{from: z, most: most}, z.Close, nil
	}
	return r, func() {}, nil
}

// bounded ends a stream that unpacks to more than anybody keeps.
type bounded struct {
	from io.Reader
	most int64
	read int64
}

func (b *bounded) Read(p []byte) (int, error) {
	n, err := b.from.Read(p)
	if b.read += int64(n); b.read > b.most {
		return 0, fmt.Errorf("it unpacks to more than %d MiB", b.most>>20)
	}
	return n, err
}

// lines calls a function with every line without its end. One that is too long is handed over cut,
// and said to be.
func (o *OldURLs) lines(path string, r *bufio.Reader, each func(line []byte, long bool)) error {
	var whole []byte
	for n := 0; ; n++ {
		if n%4096 == 0 && o.Stop != nil {
			if err := o.Stop(); err != nil {
				return err
			}
		}
		part, err := r.ReadSlice('\n')
		line, long := part, false
		if errors.Is(err, bufio.ErrBufferFull) {
			whole = append(whole[:0], part[:min(len(part), mostLogLine)]...)
			for errors.Is(err, bufio.ErrBufferFull) {
				_, err = r.ReadSlice('\n')
				if o.Stop != nil && o.Stop() != nil {
					return o.Stop()
				}
			}
			line, long = whole, true
		}
		line = bytes.TrimRight(line, "\r\n")
		if len(line) > mostLogLine {
			line, long = line[:mostLogLine], true
		}
		if len(bytes.TrimSpace(line)) > 0 {
			each(line, long)
		}
		switch {
		case errors.Is(err, io.EOF):
			return nil
		case err != nil:
			return problem.List{{File: path, Fault: fact.FileCut{Why: err.Error()}}}
		}
	}
}

// whole gives an address as a whole URL: a path is one of the door.
func (o *OldURLs) whole(buffer, address []byte) []byte {
	if len(address) > 0 && address[0] == '/' && !bytes.HasPrefix(address, []byte("//")) &&
		!o.Door.IsZero() {
		buffer = append(buffer[:0], o.Door.String()...)
		return append(buffer, address...)
	}
	if bytes.HasPrefix(address, []byte("//")) {
		return append(append(buffer[:0], "http:"...), address...)
	}
	return append(buffer[:0], address...)
}

// list reads a URL or a path a line.
func (o *OldURLs) list(name, path string, r *bufio.Reader) error {
	s := o.To.Begin(name)
	var buffer []byte
	return o.lines(path, r, func(line []byte, long bool) {
		line = bytes.TrimSpace(line)
		switch {
		case line[0] == '#':
		case long:
			s.Leave(old.TooLong, string(line))
		default:
			buffer = o.whole(buffer, schemed(line))
			o.To.Add(s, old.Seen{URL: buffer})
		}
	})
}

// schemed adds http where an address begins with a host.
func schemed(address []byte) []byte {
	if bytes.Contains(address, []byte("://")) || bytes.HasPrefix(address, []byte("/")) ||
		!bytes.Contains(bytes.SplitN(address, []byte("/"), 2)[0], []byte(".")) {
		return address
	}
	return append([]byte("http://"), address...)
}

// checked ends a stream where somebody wants it to end, and where a part of it has no end: its
// reader would keep all of that part.
type checked struct {
	from  io.Reader
	stop  func() error
	since int // octets since the last part ended
}

// mostPart is how long a record, an element or an object may be, in octets.
const mostPart = 32 << 20

var errNoEnd = fmt.Errorf("a part of it is longer than %d MiB", mostPart>>20)

func (c *checked) Read(p []byte) (int, error) {
	if c.stop != nil {
		if err := c.stop(); err != nil {
			return 0, err
		}
	}
	if c.since > mostPart {
		return 0, errNoEnd
	}
	n, err := c.from.Read(p)
	c.since += n
	return n, err
}

// ended says that a part has come to its end.
func (c *checked) ended() { c.since = 0 }
