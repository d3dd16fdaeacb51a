package store

import (
	"testing"

	"upperpath.example/upperpath/internal/core/runbook"
	"upperpath.example/upperpath/internal/core/survey"
)

// FuzzUnpack reads documents that nobody packed.
func FuzzUnpack(f *testing.F) {
	for _, v := range []any{&runbook.Book{Schema: runbook.Schema},
		&survey.Survey{Schema: survey.Schema}} {
		doc, err := pack(v)
		if err != nil {
			f.Fatal(err)
		}
		f.Add(doc)
	}
	f.Add([]byte{0x1f, 0x8b, 8, 0, 0, 0, 0, 0, 0, 0xff})
	f.Add([]byte(`{"tasks":[{"number":1,"after":[1]}]}`))
	f.Fuzz(func(_ *testing.T, doc []byte) {
		var b runbook.Book
		if unpack(doc, &b) == nil && b.Check() == nil {
			_ = b.Times()
			_ = b.Next()
		}
		var v survey.Survey
		if unpack(doc, &v) == nil {
			_ = v.Check()
		}
	})
}
