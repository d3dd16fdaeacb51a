// Package script tells where the scripts of a page send a visitor while it is loaded, as a browser
// runs them (ECMAScript; the HTML Standard, sections 4.12 and 7.4). It has a parser read them,
// walks the statements that run by themselves, and folds what is known: the page's own address,
// constants, variables, the texts of timers. It asks nobody and guesses nothing: what depends on
// what nobody knows (the visitor's browser, the time, what another script does) is a Maybe.
//
//	r := script.New(script.Page{URL: web.MustParseURL("https://old.example/")})
//	r.Run([]byte(`var to = "/new/"; setTimeout(() => location.replace(to), 300)`), 12)
//	o := r.Finish()          // o.Moves: to /new/ after 0.3 s, line 12
//
// # How it works
//
// A script is a tree (tdewolff/parse), and a Runner is the page's window: it has names, tasks that
// wait for their time, and a flow, which says whether a browser surely comes to the statement at
// hand. A condition that nobody knows, a call that may throw, a loop of unknown length make that
// unsure, as far as they reach: what is assigned there is unknown afterwards, and where a visitor
// would be sent is a Maybe. Work is bounded: steps, depth, tasks, lengths of texts. What goes
// beyond that, or cannot be parsed, is a Maybe too, if it speaks of addresses at all.
package script

import (
	"bytes"
	"slices"
	"strings"
	"unsafe"

	"github.com/tdewolff/parse/v2"
	"github.com/tdewolff/parse/v2/js"

	"upperpath.example/upperpath/internal/core/web"
)

// What is read and run at most.
const (
	MostScript = 1 << 20 // octets of one script
	mostSteps  = 200_000
	mostDepth  = 60
	mostTasks  = 300
	mostText   = 64 << 10 // octets of a text that is known
	mostFound  = 20
	// Patience is how long a page may be shown before a timer sends visitors on, in seconds.
	Patience = 30
)

// Page is what is known of the page that a script stands in.
type Page struct {
	URL web.URL
	// HasID reports whether an element with an id stands in the page: where loaded, in all of it,
	// else above the script. nil: nobody knows
	HasID func(id string, loaded bool) bool
	// its policy has no text run as a script
	NoEval bool
}

// Move is where a script surely sends a visitor.
type Move struct {
	To    string  // as it stands there
	After float64 // in seconds
	Line  int

	order int // in which it was come to
}

// Maybe is where a script may send a visitor: that depends on what nobody knows.
type Maybe struct {
	To     string // "" where that is unknown too
	After  float64
	Line   int
	Unread bool // the script could not be read to its end

	order int
}

// Outcome is what the scripts of a page do.
type Outcome struct {
	Moves    []Move
	Maybe    []Maybe
	Written  []string // markup that is written into the page
	ReadsURL bool     // the outcome depends on the page's own address
}

// Runner runs the scripts of one page.
type Runner struct {
	page    Page
	global  *scope
	onload  value
	tasks   []task
	order   int // of tasks
	ids     int // of timers
	cleared map[int]bool
	outcome Outcome

	source  []byte // the script that is run
	line    int    // where it begins
	flow    flow
	steps   int
	depth   int
	after   float64 // the time
	loaded  bool
	bodied  bool // the page's body has begun
	ready   string
	stopped bool // the work is at its end
}

// flow says what may have kept a browser from coming here.
type flow struct {
	branch   int  // conditions and loops of which nobody knows whether they hold
	thrown   bool // something may have been thrown
	returned bool // the function may have returned
	broken   bool // the loop may have been left
}

func (f flow) sure() bool { return f.branch == 0 && !f.thrown && !f.returned && !f.broken }

// task is something that is run later.
type task struct {
	after float64
	order int
	every float64 // of an interval
	id    int
	sure  bool
	line  int
	src   []byte
	run   func()
}

// New gives a runner for a page.
func New(p Page) *Runner {
	r := &Runner{page: p, global: newScope(nil), cleared: map[int]bool{}, ready: "loading"}
	r.global.function = true
	return r
}

// speaks are what a script has to hold to send anybody anywhere.
var speaks = [][]byte{
	[]byte("location"), []byte("open"), []byte("submit"), []byte("click"), []byte("write"),
	[]byte("eval"), []byte("Function"), []byte("navigat"), []byte("window["), []byte("self["),
	[]byte("top["), []byte("document["), []byte("this["), []byte("refresh"), []byte(`\u00`),
	[]byte(`\x`),
}

// Speaks reports whether a script holds a word without which it sends nobody anywhere.
func Speaks(src []byte) bool {
	return slices.ContainsFunc(speaks, func(word []byte) bool { return bytes.Contains(src, word) })
}

// Body says that the body of the page has begun.
func (r *Runner) Body() { r.bodied = true }

// Run runs a classic script that begins in a line of the page.
func (r *Runner) Run(src []byte, line int) { r.top(src, line, js.Options{}) }

// RunModule has a module run once the page is parsed.
func (r *Runner) RunModule(src []byte, line int) {
	src = bytes.Clone(src)
	r.later(0, 0, func() { r.top(src, line, js.Options{}) })
}

// Onload has the value of an onload attribute of the page's body run once it is loaded.
func (r *Runner) Onload(src []byte, line int) {
	src = bytes.Clone(src)
	r.onload = value{kind: function, fn: &code{native: func(*Runner, value, []value) value {
		r.top(src, line, js.Options{Inline: true})
		return undefinedValue
	}}}
}

// top runs a whole script, as a task of its own.
func (r *Runner) top(src []byte, line int, o js.Options) {
	if r.stopped {
		return
	}
	text := slices.Concat(src, []byte{0})[:len(src)] // the parser looks for a NUL behind it
	var tree *js.AST
	var err error
	if len(src) <= MostScript {
		tree, err = js.Parse(parse.NewInputBytes(text), o)
	}
	if tree == nil || err != nil {
		if Speaks(src) {
			r.maybe(Maybe{Line: line, Unread: true, After: r.after})
		}
		return
	}
	source, at, kept := r.source, r.line, r.flow
	r.source, r.line, r.flow = text, line, flow{branch: kept.branch}
	r.block(tree.List, &tree.Scope, r.global)
	r.source, r.line, r.flow = source, at, kept
}

// Finish runs what waits for the page to be there and for time to pass, and tells what comes of
// all.
func (r *Runner) Finish() Outcome {
	r.loaded, r.ready = true, "interactive"
	r.drain(0)
	r.ready = "complete"
	if r.onload.kind == function {
		kept := r.flow
		r.flow = flow{thrown: r.onload.unsure}
		r.call(r.onload, undefinedValue, nil)
		r.flow = kept
	}
	r.drain(Patience)
	o := r.outcome
	if len(o.Moves) == 0 {
		return o
	}
	first := o.Moves[0]
	for _, m := range o.Moves[1:] {
		if m.After <= first.After { // the last of a task is where a browser goes
			first = m
		}
	}
	// What may come behind it, at the same time, may take its place; and what could not be read to
	// its end may hold another.
	sure := !r.stopped
	o.Maybe = slices.DeleteFunc(o.Maybe, func(m Maybe) bool {
		sure = sure && !(m.After == first.After && m.order > first.order)
		return m.After > first.After || m.After == first.After && m.order < first.order
	})
	if o.Moves = []Move{first}; !sure {
		o.Maybe = append([]Maybe{{To: first.To, After: first.After, Line: first.Line}}, o.Maybe...)
		o.Moves = nil
	}
	return o
}

// drain runs the tasks whose time comes until then, in their order.
func (r *Runner) drain(until float64) {
	for n := 0; len(r.tasks) > 0 && !r.stopped; n++ {
		at := 0
		for i, t := range r.tasks {
			if t.after < r.tasks[at].after || t.after == r.tasks[at].after && t.order < r.tasks[at].order {
				at = i
			}
		}
		t := r.tasks[at]
		if t.after > until || len(r.outcome.Moves) > 0 && t.after > r.outcome.Moves[0].After {
			return
		}
		if n >= mostTasks {
			r.stop()
			return
		}
		r.tasks = slices.Delete(r.tasks, at, at+1)
		if t.id != 0 && r.cleared[t.id] {
			continue
		}
		r.after = t.after
		source, line := r.source, r.line
		r.source, r.line, r.flow = t.src, t.line, flow{thrown: !t.sure}
		t.run()
		r.source, r.line = source, line
		if t.every > 0 {
			t.after += t.every
			r.order++
			t.order = r.order
			r.tasks = append(r.tasks, t)
		}
	}
}

// later has something run after some seconds, again and again where every is above 0. It gives the
// number by which it is cleared.
func (r *Runner) later(after, every float64, run func()) int {
	r.order++
	r.ids++
	r.tasks = append(r.tasks, task{after: r.after + after, order: r.order, every: every, id: r.ids,
		sure: r.flow.sure(), line: r.line, src: r.source, run: run})
	return r.ids
}

// stop ends the work: what is left is unknown.
func (r *Runner) stop() {
	if !r.stopped {
		r.stopped = true
		r.maybe(Maybe{Line: r.line, Unread: true, After: r.after})
	}
}

// step counts the work, and reports whether more may be done.
func (r *Runner) step() bool {
	if r.steps++; r.steps > mostSteps {
		r.stop()
	}
	return !r.stopped
}

// goes takes in that a visitor is sent to what a value says, by what stands at a place.
func (r *Runner) goes(to value, at []byte) {
	line := r.lineOf(at)
	text, known := to.text(r)
	switch {
	case to.kind == place, r.stopped: // to itself
	case known && (strings.HasPrefix(text, "#") || strings.HasPrefix(text, "javascript:")):
	case known && r.flow.sure():
		r.order++
		m, all := Move{To: text, After: r.after, Line: line, order: r.order}, &r.outcome.Moves
		if len(*all) == mostFound {
			(*all)[mostFound-1] = m
		} else {
			*all = append(*all, m)
		}
	default:
		m := Maybe{Line: line, After: r.after}
		if known {
			m.To = text
		}
		r.maybe(m)
	}
}

func (r *Runner) maybe(m Maybe) {
	r.order++
	for i := range r.outcome.Maybe { // a loop comes by it again
		if o := &r.outcome.Maybe[i]; o.To == m.To && o.After == m.After && o.Line == m.Line &&
			o.Unread == m.Unread {
			o.order = r.order
			return
		}
	}
	if m.order = r.order; len(r.outcome.Maybe) < mostFound {
		r.outcome.Maybe = append(r.outcome.Maybe, m)
	}
}

// lineOf gives the line in the page of a part of the script that is run.
func (r *Runner) lineOf(part []byte) int {
	if len(part) == 0 || len(r.source) == 0 {
		return r.line
	}
	offset := uintptr(unsafe.Pointer(unsafe.SliceData(part))) -
		uintptr(unsafe.Pointer(unsafe.SliceData(r.source)))
	if offset > uintptr(len(r.source)) {
		return r.line
	}
	return r.line + bytes.Count(r.source[:offset], []byte("\n"))
}

// write takes in markup that a script writes into the page.
func (r *Runner) write(text string) {
	if r.flow.sure() && len(r.outcome.Written) < mostFound {
		r.outcome.Written = append(r.outcome.Written, text)
	}
}
