package live

import (
	"bytes"
	"regexp"
	"slices"
	"strings"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/script"
	"upperpath.example/upperpath/internal/core/web"
)

// piece is a script of a page.
type piece struct {
	text     []byte
	line     int
	end      int // where it ends in the page, in octets
	module   bool
	handler  bool // it is an onload attribute
	external bool // it is elsewhere
	body     bool // the page's body has begun above it
}

// mostPieces is how many scripts of a page are run.
const mostPieces = 200

// scriptKinds are the types of a classic script (the MIME Sniffing Standard, section 4.6).
var scriptKinds = map[string]bool{"": true}

func init() {
	for kind := range strings.FieldsSeq(`application/ecmascript application/javascript
		application/x-ecmascript application/x-javascript text/ecmascript text/javascript
		text/javascript1.0 text/javascript1.1 text/javascript1.2 text/javascript1.3 text/javascript1.4
		text/javascript1.5 text/jscript text/livescript text/x-ecmascript text/x-javascript`) {
		scriptKinds[kind] = true
	}
}

// beginScript takes in the beginning of a script element, and reports whether what stands in it is
// run (the HTML Standard, section 4.12.1.1).
func (r *pageReader) beginScript(a attributes) {
	r.piece = nil
	kind, typed := a["type"]
	kind = strings.ToLower(strings.TrimSpace(kind))
	if language := a["language"]; !typed && language != "" {
		kind = "text/" + strings.ToLower(language)
	}
	module := kind == "module"
	_, old := a["nomodule"]
	event := strings.ToLower(strings.TrimSpace(a["event"]))
	switch source, elsewhere := a["src"]; {
	case !module && (!scriptKinds[kind] || old), !r.policies.scripts(), len(r.pieces) >= mostPieces:
	case !module && a["for"] != "" && a["event"] != "" && (!strings.EqualFold(a["for"], "window") ||
		event != "onload" && event != "onload()"):
	case elsewhere && source != "":
		r.pieces = append(r.pieces, piece{external: true, line: r.line})
	case elsewhere: // what stands in it is not run
	default:
		r.piece = &piece{line: r.line, module: module}
		r.nonce = a["nonce"]
	}
}

// runs takes in the text of a script element.
func (r *pageReader) runs(raw []byte) {
	if r.piece == nil || !r.policies.inline(raw, r.nonce, false) {
		return
	}
	if r.piece.module {
		r.imports(raw)
	}
	p := *r.piece
	p.text, p.end, p.body = bytes.Clone(raw), r.offset+len(raw), r.body
	r.pieces = append(r.pieces, p)
	r.piece = nil
}

// onload takes in an onload attribute.
func (r *pageReader) onload(text string) {
	if text == "" || !r.policies.scripts() || len(r.pieces) >= mostPieces ||
		!r.policies.inline([]byte(text), "", true) {
		return
	}
	r.pieces = append(r.pieces, piece{text: []byte(text), line: r.line, handler: true, end: r.offset})
}

// play runs the scripts of the page, where one of them speaks of addresses at all.
func (r *pageReader) play(deep int) {
	speaks := false
	for _, p := range r.pieces {
		speaks = speaks || script.Speaks(p.text)
	}
	if !speaks {
		r.leaveOpen()
		return
	}
	end := 0
	run := script.New(script.Page{URL: r.at, NoEval: !r.policies.evals(),
		HasID: func(id string, loaded bool) bool {
			if loaded {
				return hasID(r.octets, id)
			}
			return hasID(r.octets[:min(end, len(r.octets))], id)
		}})
	for _, p := range r.pieces {
		if p.body {
			run.Body()
		}
		switch end = p.end; {
		case p.external: // nobody read it
		case p.module:
			run.RunModule(p.text, p.line)
		case p.handler:
			run.Onload(p.text, p.line)
		default:
			run.Run(p.text, p.line)
		}
	}
	o := run.Finish()
	r.own = r.own || o.ReadsURL
	for _, m := range o.Moves {
		r.goesOn(chain.ByScript, m.To, m.After, m.Line)
	}
	for _, m := range o.Maybe {
		r.doc.May = append(r.doc.May, chain.May{To: web.MaskedReference(m.To), After: m.After,
			Line: m.Line, Unread: m.Unread})
	}
	if deep > 0 {
		return
	}
	defer r.leaveOpen()
	for _, text := range o.Written {
		w := newReader(r.at, []byte(text), r.policies)
		w.base = r.base
		w.read()
		w.play(deep + 1)
		line := r.lastLine()
		for _, s := range w.softs {
			r.goesOn(s.By, s.To, s.After, line)
		}
		for _, m := range w.doc.May {
			m.Line = line
			r.doc.May = append(r.doc.May, m)
		}
	}
}

// leaveOpen takes in that a page shows nothing by itself, and asks for a script that was not read:
// it may show anything, and send visitors anywhere.
func (r *pageReader) leaveOpen() {
	at := slices.IndexFunc(r.pieces, func(p piece) bool { return p.external })
	if r.alone && at >= 0 && r.inline == "" && r.frame == "" && len(r.softs)+len(r.doc.May) == 0 {
		r.doc.May = append(r.doc.May, chain.May{Line: r.pieces[at].line, Elsewhere: true})
	}
}

// lastLine gives the line of the last script.
func (r *pageReader) lastLine() int { return r.pieces[len(r.pieces)-1].line }

// hasID reports whether an element with an id stands in a part of a page.
func hasID(octets []byte, id string) bool {
	if id == "" || len(id) > 200 || !bytes.Contains(octets, []byte(id)) {
		return false
	}
	re, err := regexp.Compile(`(?i:[\s"'/]id)\s*=\s*(?:"` + regexp.QuoteMeta(id) + `"|'` +
		regexp.QuoteMeta(id) + `'|` + regexp.QuoteMeta(id) + `[\s>/])`)
	return err == nil && re.Match(octets)
}
