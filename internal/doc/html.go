package doc

import (
	"cmp"
	_ "embed"
	"fmt"
	"html/template"
	"io"
	"strings"

	"upperpath.example/upperpath/internal/core/wording"
)

// The parts of a page: a frame, a template a kind of block, and what makes tables filter and sort.
// Without the script everything reads as well.
var (
	//go:embed page.html.tmpl
	pageSource string
	//go:embed page.css
	pageStyle string
	//go:embed page.js
	pageScript string
)

var page = template.Must(template.New("page").Funcs(template.FuncMap{
	"text":  htmlText,
	"tone":  func(t Tone) string { return cmp.Or(t.Word(), "plain") },
	"style": func() template.CSS { return template.CSS(pageStyle) },
	"code":  func() template.JS { return template.JS(pageScript) },
	"few":   func(all []string) string { return wording.Few(all, 8) },
	"head": func(all []string, i int) string {
		if i == 0 || i >= len(all) {
			return "" // it names the row
		}
		return all[i]
	},
	// drawn by figure.go, which escapes
	"svg":   func(s string) template.HTML { return template.HTML(s) },
	"last":  func(i int, all []Hop) bool { return i == len(all)-1 },
	"lines": func(all []string) string { return strings.Join(all, "\n") },
	"title": wording.UpperFirst,
}).Parse(pageSource))

// writeHTML writes one page that needs nothing but itself, block by block.
func writeHTML(w io.Writer, d Doc, s Style) error {
	h := &htmlWriter{w: w, style: s}
	h.part("top", d)
	for b := range d.Blocks {
		h.block(b)
		if h.err != nil {
			return h.err
		}
	}
	h.between(nil)
	h.part("bottom", d)
	return h.err
}

type htmlWriter struct {
	w     io.Writer
	style Style
	err   error
	fine  int
	same  int
	deep  bool   // a chapter was begun: parts of one stand below it
	open  string // the element around blocks of one kind: "steps" or ""
}

func (h *htmlWriter) part(name string, data any) {
	if h.err == nil {
		h.err = page.ExecuteTemplate(h.w, name, data)
	}
}

// between closes what stands open around blocks of another kind, and says how many chains were not
// shown.
func (h *htmlWriter) between(b Block) {
	if _, is := b.(Step); h.open == "steps" && !is {
		h.part("steps-end", nil)
		h.open = ""
	}
	if _, is := b.(Chain); h.fine+h.same > 0 && !is {
		h.part("hidden", hiddenText(h.fine, h.same))
		h.fine, h.same = 0, 0
	}
}

func (h *htmlWriter) block(b Block) {
	h.between(b)
	switch b := b.(type) {
	case Chain:
		switch {
		case b.Told:
		case b.Fine && !h.style.Detail:
			h.fine++
		case b.Same && !h.style.Detail:
			h.same++
		default:
			h.part("chain", b)
		}
	case Step:
		if h.open == "" {
			h.part("steps", nil)
			h.open = "steps"
		}
		h.part("step", b)
	case Fold:
		h.part("fold", b)
		for _, inner := range b.Blocks {
			h.block(inner)
		}
		h.between(nil)
		h.part("fold-end", nil)
	case Detail:
		for _, inner := range b.Blocks {
			h.block(inner)
		}
	case Data:
	case Heading:
		if b.Level > 2 && !h.deep {
			b.Level = 2
		}
		h.deep = true
		h.part("heading", b)
	default:
		h.part(strings.ToLower(strings.TrimPrefix(fmt.Sprintf("%T", b), "doc.")), b)
	}
}

// htmlText gives a text as elements.
func htmlText(t Text) template.HTML {
	var b strings.Builder
	for _, s := range t {
		inside := template.HTMLEscapeString(s.Text)
		element := [...]string{"", "code", "b", "span class=\"soft\"", "del", "br"}[s.As]
		switch element {
		case "":
			b.WriteString(inside)
			continue
		case "br":
			b.WriteString("<br>")
			continue
		}
		name, _, _ := strings.Cut(element, " ")
		fmt.Fprintf(&b, "<%s>%s</%s>", element, inside, name)
	}
	return template.HTML(b.String())
}
