package store

import (
	"bytes"
	"compress/gzip"
	"encoding/json"
	"fmt"
	"io"

	"upperpath.example/upperpath/internal/core/survey"
)

// mostDocument is how many octets of JSON a document may have.
const mostDocument = 1 << 30

// pack writes a document as JSON, compressed (RFC 1952): what was seen repeats itself. A survey goes domain by domain,
// so that many need no more memory than they have.
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
	head, tail, _ := bytes.Cut(around, []byte(`"domains":null`)) // stands in no text, whose quotes are escaped
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
	if !bytes.HasPrefix(doc, []byte{0x1f, 0x8b}) {
		return json.Unmarshal(doc, v)
	}
	z, err := gzip.NewReader(bytes.NewReader(doc))
	if err != nil {
		return err
	}
	text, err := io.ReadAll(io.LimitReader(z, mostDocument+1))
	if err != nil {
		return err
	}
	if len(text) > mostDocument {
		return fmt.Errorf("it has more than %d octets", mostDocument)
	}
	return json.Unmarshal(text, v)
}
