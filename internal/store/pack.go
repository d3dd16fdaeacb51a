package store

import (
	"bytes"
	"compress/gzip"
	"encoding/binary"
	"encoding/json"
	"fmt"
	"io"

	"upperpath.example/upperpath/internal/core/runbook"
	"upperpath.example/upperpath/internal/core/survey"
)

// Bounds of a document as JSON, in octets, beyond which somebody tampered with it: of any, of a
// runbook, and how many times longer it may be than it is compressed, once it is long. Honest ones
// come to 40 times.
const (
	mostDocument = 1 << 30
	mostBook     = 256 << 20
	mostSpread   = 100
	longDocument = 16 << 20
)

// pack writes a document as JSON, compressed (RFC 1952): what was seen repeats itself. A survey
// goes domain by domain, so that many need no more memory than they have.
func pack(v any) ([]byte, error) {
	var b bytes.Buffer
	z, err := gzip.NewWriterLevel(&b, gzip.BestSpeed)
	if err != nil {
		return nil, err
	}
	if s, many := v.(*survey.Survey); many {
		err = packSurvey(z, s)
	} else {
		err = json.NewEncoder(z).Encode(v)
	}
	if err == nil {
		err = z.Close()
	}
	return b.Bytes(), err
}

func packSurvey(w io.Writer, v *survey.Survey) error {
	frame := *v
	frame.Domains = nil
	around, err := json.Marshal(frame)
	if err != nil {
		return err
	}
	// stands in no text, whose quotes are escaped
	head, tail, _ := bytes.Cut(around, []byte(`"domains":null`))
	parts := [][]byte{head, []byte(`"domains":[`)}
	for i := range v.Domains {
		for _, part := range parts {
			if _, err := w.Write(part); err != nil {
				return err
			}
		}
		one, err := json.Marshal(&v.Domains[i])
		if err != nil {
			return err
		}
		parts = [][]byte{one, []byte(",")}
		if i == len(v.Domains)-1 {
			parts = parts[:1]
		}
	}
	for _, part := range append(parts, []byte("]"), tail) {
		if _, err := w.Write(part); err != nil {
			return err
		}
	}
	return nil
}

// unpack reads a document. One that is not compressed is JSON as it stands.
func unpack(doc []byte, v any) error {
	most := mostDocument
	if _, is := v.(*runbook.Book); is {
		most = mostBook
	}
	if !bytes.HasPrefix(doc, []byte{0x1f, 0x8b}) {
		if len(doc) > most {
			return fmt.Errorf("it has more than %d MiB", most>>20)
		}
		return decode(doc, v)
	}
	most = min(most, longDocument+mostSpread*len(doc))
	z, err := gzip.NewReader(bytes.NewReader(doc))
	if err != nil {
		return err
	}
	// Its end says how long it is (RFC 1952 section 2.3.1), where nobody tampered with it.
	var text bytes.Buffer
	text.Grow(min(most, int(binary.LittleEndian.Uint32(doc[max(0, len(doc)-4):]))) + bytes.MinRead)
	if _, err := text.ReadFrom(io.LimitReader(z, int64(most)+1)); err != nil {
		return err
	}
	if text.Len() > most {
		return fmt.Errorf("it has more than %d MiB", most>>20)
	}
	return decode(text.Bytes(), v)
}

// What an object takes in memory, in octets, whatever few fields of it are written; and what all of
// a document may, for its length and besides.
const (
	perObject  = 400
	perOctet   = 10
	anyObjects = 64 << 20
)

// decode reads JSON whose objects are as long as honest ones: a megabyte of {} would become a
// hundred.
func decode(text []byte, v any) error {
	if n := objectsIn(text); n*perObject > len(text)*perOctet+anyObjects {
		return fmt.Errorf("it has %d entries in %d octets: nothing that was seen is so short", n,
			len(text))
	}
	return json.Unmarshal(text, v)
}

// objectsIn counts the objects of a JSON text.
func objectsIn(text []byte) int {
	n, inside := 0, false // inside a string
	for i := 0; i < len(text); i++ {
		switch c := text[i]; {
		case c == '"':
			inside = !inside
		case inside && c == '\\':
			i++
		case !inside && c == '{':
			n++
		}
	}
	return n
}
