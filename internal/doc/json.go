package doc

import (
	"bufio"
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"iter"
	"slices"
	"sync/atomic"
	"unicode/utf8"

	"upperpath.example/upperpath/internal/core/crew"
	"upperpath.example/upperpath/internal/core/problem"
)

// Object is a JSON object whose fields come in this order.
type Object []Field

// Field is a field of an Object. A value that is a Sequence is written item by item as an array;
// one that is a func() any is asked for its value when its turn comes, and is left out where that
// is nil.
type Field struct {
	Name  string
	Value any
}

// Sequence is the items of an array, some of which are made only when they are asked for.
type Sequence iter.Seq[any]

// Lines is a Sequence whose items are written in a line each: a long list that nobody reads from
// top to bottom.
type Lines iter.Seq[any]

// writeJSON writes a document's data.
func writeJSON(w io.Writer, d Doc, _ Style) error {
	if o, is := d.Data.(Object); is {
		return writeObject(w, o)
	}
	return JSON(w, d.Data)
}

// JSON writes a value, indented. Characters that could trouble a terminal are escaped.
func JSON(w io.Writer, v any) error {
	data, err := marshal(v, "")
	if err != nil {
		return err
	}
	_, err = w.Write(append(data, '\n'))
	return err
}

// line gives a value as JSON without line breaks.
func line(v any) ([]byte, error) {
	var b bytes.Buffer
	e := json.NewEncoder(&b)
	e.SetEscapeHTML(false)
	if err := e.Encode(v); err != nil {
		return nil, fmt.Errorf("writing JSON: %w", err)
	}
	return escapeHostile(bytes.TrimRight(b.Bytes(), "\n")), nil
}

func marshal(v any, prefix string) ([]byte, error) {
	var b bytes.Buffer
	e := json.NewEncoder(&b)
	e.SetEscapeHTML(false)
	e.SetIndent(prefix, "  ")
	if err := e.Encode(v); err != nil {
		return nil, fmt.Errorf("writing JSON: %w", err)
	}
	return escapeHostile(bytes.TrimRight(b.Bytes(), "\n")), nil
}

// escapeHostile escapes what JSON leaves as it is: C1 controls, DEL, and what turns the direction
// of writing.
func escapeHostile(data []byte) []byte {
	if !slices.ContainsFunc(data, func(c byte) bool { return c >= 0x7f }) {
		return data
	}
	out := make([]byte, 0, len(data))
	for i := 0; i < len(data); {
		r, size := utf8.DecodeRune(data[i:])
		if r >= 0x7f && problem.Hostile(r) {
			out = fmt.Appendf(out, `\u%04x`, r)
		} else {
			out = append(out, data[i:i+size]...)
		}
		i += size
	}
	return out
}

// writeObject writes an object field by field, so that a long one needs no memory.
func writeObject(w io.Writer, o Object) error {
	j := &jsonWriter{w: w}
	between := "{"
	for _, f := range o {
		value := f.Value
		if ask, is := value.(func() any); is {
			if value = ask(); value == nil {
				continue
			}
		}
		j.print("%s\n  %q: ", between, f.Name)
		between = ","
		switch items := value.(type) {
		case Sequence:
			j.array(iter.Seq[any](items), func(v any) ([]byte, error) { return marshal(v, "    ") })
			continue
		case Lines:
			j.array(iter.Seq[any](items), line)
			continue
		}
		j.value(value, "  ")
	}
	j.print("\n}\n")
	return j.err
}

type jsonWriter struct {
	w   io.Writer
	err error
}

func (j *jsonWriter) print(format string, args ...any) {
	if j.err == nil {
		_, j.err = fmt.Fprintf(j.w, format, args...)
	}
}

func (j *jsonWriter) value(v any, prefix string) {
	data, err := marshal(v, prefix)
	if j.err == nil {
		j.err = err
	}
	j.print("%s", data)
}

// mostAhead is how many items of an array are made into JSON ahead of the one that is written.
const mostAhead = 64

// pending is an item that is being made into JSON.
type pending struct {
	data []byte
	err  error
	made chan struct{}
}

// array writes an array item by item, as they come, in their order; several are made into JSON side
// by side.
func (j *jsonWriter) array(items iter.Seq[any], item func(any) ([]byte, error)) {
	j.print("[")
	ahead := make(chan *pending, mostAhead)
	var failed atomic.Bool
	var writer, makers crew.Crew
	n := 0
	out := bufio.NewWriterSize(j.w, 64<<10)
	writer.Go(func() {
		for p := range ahead {
			<-p.made
			if j.err == nil {
				j.err = p.err
			}
			if j.err == nil {
				between := ",\n    "
				if n == 0 {
					between = "\n    "
				}
				_, j.err = out.WriteString(between)
			}
			if j.err == nil {
				_, j.err = out.Write(p.data)
			}
			if j.err == nil && len(ahead) == 0 { // whoever reads along waits for nothing
				j.err = out.Flush()
			}
			n++
			failed.Store(j.err != nil)
		}
	})
	for v := range items {
		p := &pending{made: make(chan struct{})}
		makers.Go(func() {
			defer close(p.made)
			p.data, p.err = item(v)
		})
		ahead <- p
		if failed.Load() {
			break
		}
	}
	close(ahead)
	makers.Wait()
	writer.Wait()
	if j.err == nil {
		j.err = out.Flush()
	}
	if j.err != nil {
		return
	}
	if n > 0 {
		j.print("\n  ")
	}
	j.print("]")
}

// SequenceOf gives a slice as a Sequence.
func SequenceOf[T any](all []T) Sequence {
	return func(yield func(any) bool) {
		for i := range all {
			if !yield(&all[i]) {
				return
			}
		}
	}
}

// IfAny gives a slice as a field's value that is left out where there is nothing in it.
func IfAny[T any](all []T) func() any {
	return func() any {
		if len(all) == 0 {
			return nil
		}
		return all
	}
}

// IfSaid does the same for a text.
func IfSaid(s string) func() any {
	return func() any {
		if s == "" {
			return nil
		}
		return s
	}
}
