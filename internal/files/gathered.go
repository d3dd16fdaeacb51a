package files

import (
	"encoding/csv"
	"errors"
	"io"
	"io/fs"
	"os"
	"slices"
	"strconv"
	"strings"

	"upperpath.example/upperpath/internal/core/old"
)

// gatheredHead is how the head of a file with old URLs begins that this program wrote.
var gatheredHead = []string{"url", "weight", "source", "method", "note"}

// GatheredBefore takes what a file of this program holds into a gathering, each URL with its
// sources, but for what comes of a source that is gathered again. Where there is no such file, or
// none of this program, nothing is taken. The error is of reading.
func GatheredBefore(path string, to *old.Gathering,
	again func(source string) bool) (old.Before, error) {
	var b old.Before
	f, err := os.Open(path)
	if errors.Is(err, fs.ErrNotExist) {
		return b, nil
	}
	if err != nil {
		return b, err
	}
	defer f.Close()
	r := csv.NewReader(io.LimitReader(f, MostTable))
	r.Comment, r.FieldsPerRecord = '#', -1
	head, err := r.Read()
	if err != nil || len(head) < len(gatheredHead) ||
		!slices.Equal(head[:len(gatheredHead)], gatheredHead) {
		return b, nil // it is none of this program: whoever writes it says so
	}
	more := slices.Clone(head[len(gatheredHead):])
	sources := map[string]*old.Source{}
	from := func(name string) *old.Source {
		if sources[name] == nil {
			sources[name] = to.Begin(name, more...)
			b.Sources = append(b.Sources, name)
		}
		return sources[name]
	}
	for {
		row, err := r.Read()
		if errors.Is(err, io.EOF) {
			return b, nil
		}
		if err != nil || len(row) < len(gatheredHead) || len(row[0]) > mostCell {
			continue // somebody's own line
		}
		names := strings.Split(row[2], "; ")
		fresh := 0
		for _, n := range names {
			if again(n) {
				fresh++
				if !slices.Contains(b.Replaced, n) {
					b.Replaced = append(b.Replaced, n)
				}
			}
		}
		switch {
		case fresh == len(names):
			b.Dropped++
			continue
		case fresh > 0:
			b.Mixed = row[0]
			return b, nil
		}
		weight, _ := strconv.ParseInt(row[1], 10, 64)
		for i, n := range names {
			seen := old.Seen{URL: []byte(row[0]), Method: []byte(row[3])}
			if i == 0 {
				seen.Weight, seen.Note, seen.More = weight, row[4], row[len(gatheredHead):]
			}
			to.Add(from(n), seen)
		}
		b.URLs++
	}
}
