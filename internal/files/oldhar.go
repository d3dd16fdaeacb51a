package files

import (
	"bufio"
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"

	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/old"
	"upperpath.example/upperpath/internal/core/problem"
)

// har reads what a browser recorded (HTTP Archive 1.2): the pages of log.entries, entry by entry.
func (o *OldURLs) har(name, path string, r *bufio.Reader) error {
	s := o.To.Begin(name)
	from := &checked{from: r, stop: o.Stop}
	d := json.NewDecoder(io.LimitReader(from, mostHAR))
	wrong := func(err error) error {
		if o.Stop != nil && o.Stop() != nil {
			return o.Stop()
		}
		return problem.List{
			{File: path, Fault: fact.NotHAR{Why: err.Error()}}}
	}
	if err := seek(d, "log"); err != nil {
		return wrong(err)
	}
	if err := seek(d, "entries"); err != nil {
		return wrong(err)
	}
	if _, err := d.Token(); err != nil { // [
		return wrong(err)
	}
	for d.More() {
		var e struct {
			Request struct {
				Method string `json:"method"`
				URL    string `json:"url"`
			} `json:"request"`
			Response struct {
				Status int `json:"status"`
			} `json:"response"`
		}
		if err := d.Decode(&e); err != nil {
			return wrong(err)
		}
		from.ended()
		o.To.Add(
			s,
			old.Seen{URL: []byte(e.Request.URL), Method: []byte(e.Request.Method), Status: e.Response.Status,
				Weight: 1},
		)
	}
	return nil
}

// seek reads until the value of a field of the object that comes next.
func seek(d *json.Decoder, field string) error {
	t, err := d.Token()
	if err != nil {
		return err
	}
	if t != json.Delim('{') {
		return errors.New("an object is missing")
	}
	for d.More() {
		name, err := d.Token()
		if err != nil {
			return err
		}
		if name == field {
			return nil
		}
		var skipped json.RawMessage
		if err := d.Decode(&skipped); err != nil {
			return err
		}
	}
	return fmt.Errorf("there is no field %q", field)
}

// isHAR reports whether a text is what a browser recorded.
func isHAR(start []byte) bool { return bytes.HasPrefix(start, []byte("{")) }
