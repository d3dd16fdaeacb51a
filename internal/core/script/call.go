package script

import (
	"github.com/tdewolff/parse/v2/js"
)

// params are the parameters of a function.
type params struct{ of js.Params }

// classCode is a class.
type classCode struct {
	methods *things
	fields  []js.ClassElement
	env     *scope
	maker   *code // its constructor; nil: none
	above   bool  // it extends another
}

// closure makes a function of its declaration.
func (r *Runner) closure(n *js.FuncDecl, env *scope) value {
	c := &code{params: params{n.Params}, body: &n.Body, env: env, source: r.source, line: r.line,
		async: n.Async, unknown: n.Generator}
	if n.Name != nil {
		c.name = string(n.Name.Data)
	}
	return value{kind: function, fn: c}
}

func (r *Runner) method(m *js.MethodDecl, env *scope) value {
	return value{kind: function, fn: &code{params: params{m.Params}, body: &m.Body, env: env,
		source: r.source, line: r.line, async: m.Async, unknown: m.Generator}}
}

// class makes a class.
func (r *Runner) class(n *js.ClassDecl, env *scope) (value, bool) {
	made := &classCode{methods: newThings(), env: newScope(env), above: n.Extends != nil}
	c := &code{class: made, props: newThings(), source: r.source, line: r.line}
	v := value{kind: function, fn: c}
	if n.Extends != nil {
		if _, threw := r.eval(n.Extends, env); threw {
			return v, true
		}
		made.methods.open = true
	}
	if n.Name != nil {
		made.env.declare(string(n.Name.Data), v)
	}
	for i := range n.List {
		e := &n.List[i]
		switch {
		case e.StaticBlock != nil:
			in := newScope(made.env)
			in.function, in.this = true, v
			r.block(e.StaticBlock.List, &e.StaticBlock.Scope, in)
		case e.Method != nil && !e.Method.Name.IsComputed():
			m := e.Method
			held := r.method(m, made.env)
			name := keyOf(m.Name.Literal)
			switch {
			case m.Get || m.Set:
				made.methods.held[name] = unknownValue
			case m.Static:
				c.props.held[name] = held
			case name == "constructor":
				made.maker = held.fn
			default:
				made.methods.held[name] = held
			}
		case e.Method == nil && e.Static && e.Init != nil:
			held, threw := r.eval(e.Init, made.env)
			if threw {
				return v, true
			}
			if !e.Name.IsComputed() {
				c.props.held[keyOf(e.Name.Literal)] = held
			}
		case e.Method == nil && !e.Static:
			made.fields = append(made.fields, *e)
		}
	}
	return v, false
}

// args gives the values of arguments.
func (r *Runner) args(list []js.Arg, env *scope) (all []value, open, threw bool) {
	for _, a := range list {
		v, failed := r.eval(a.Value, env)
		if failed {
			return all, open, true
		}
		if a.Rest {
			open = true
			continue
		}
		all = append(all, v)
	}
	return all, open, false
}

// calls gives what a call gives.
func (r *Runner) calls(n *js.CallExpr, env *scope) (value, bool) {
	var f, this value
	var threw bool
	name, at, perhaps := "", placeOf(n.X), n.Optional
	switch x := plain(n.X).(type) {
	case *js.DotExpr:
		name, perhaps = string(literalOf(x.Y)), perhaps || x.Optional
		f, this, threw = r.member(x.X, x.Optional, literalOf(x.Y), nil, env)
	case *js.IndexExpr:
		if l, is := plain(x.Y).(*js.LiteralExpr); is && l.TokenType == js.StringToken {
			name, _ = unquoted(l.Data)
		}
		f, this, threw = r.member(x.X, x.Optional, nil, x.Y, env)
	case *js.Var:
		name = string(x.Name())
		f, threw = r.named(x, env)
		this = value{kind: window}
	case *js.LiteralExpr: // super or import
		args, _, failed := r.args(n.Args.List, env)
		r.handed(args, "")
		return unknownValue, failed
	default:
		f, threw = r.eval(n.X, env)
		this = value{kind: window}
	}
	if threw {
		return f, true
	}
	args, open, threw := r.args(n.Args.List, env)
	if threw {
		return f, true
	}
	if open {
		r.handed(args, "")
		args = nil
	}
	if v, done, threw := r.builtin(f, this, name, args, at); done {
		return v, threw
	}
	is, known := f.nothing()
	switch {
	case known && is && n.Optional:
		return undefinedValue, false
	case known && is:
		return f, true
	case f.kind == function && open:
		r.perhaps(func() ending { _, _ = r.callIn(f, this, nil); return ending{} })
		return unknownValue, false
	case f.kind == function:
		return r.callIn(f, this, args)
	case f.kind == unknown || f.unsure:
		if !f.safe && !perhaps {
			r.flow.thrown = true
		}
		r.handed(args, name)
		return value{safe: f.safe && !nullable[name]}, false
	case f.kind == host:
		r.handed(args, name)
		return value{safe: !nullable[name]}, false
	}
	return unknownValue, true // it is no function
}

// plain gives what stands in brackets.
func plain(e js.IExpr) js.IExpr {
	for {
		g, is := e.(*js.GroupExpr)
		if !is {
			return e
		}
		e = g.X
	}
}

// nullable are functions that may give nothing.
var nullable = map[string]bool{"match": true, "exec": true, "find": true, "getItem": true,
	"get": true, "getAttribute": true, "querySelector": true, "closest": true, "pop": true,
	"shift": true,
	"at":    true, "item": true, "getContext": true, "getElementById": true, "open": true}

// byHand are what visitors do, by which pages have functions called: nothing of that happens by
// itself.
var byHand = map[string]bool{"click": true, "dblclick": true, "hover": true, "change": true,
	"submit": true, "keyup": true, "keydown": true, "keypress": true, "mouseover": true,
	"mouseout": true, "mouseenter": true, "mouseleave": true, "mousedown": true, "mouseup": true,
	"mousemove": true, "scroll": true, "resize": true, "focus": true, "blur": true, "input": true,
	"touchstart": true, "touchend": true, "touchmove": true, "wheel": true, "popstate": true,
	"hashchange": true, "beforeunload": true, "unload": true, "pagehide": true, "contextmenu": true,
	"pointerdown": true, "pointerup": true, "focusin": true, "focusout": true, "select": true,
	"beforeprint": true, "afterprint": true, "copy": true, "paste": true, "cut": true, "drop": true,
	"dragstart": true, "toggle": true, "reset": true, "invalid": true, "visibilitychange": true,
	"auxclick": true, "pointermove": true, "dragover": true}

// handed runs functions that were handed to something unknown: it may call them.
func (r *Runner) handed(args []value, name string) {
	if byHand[name] {
		return
	}
	if len(args) > 1 && args[0].kind == text && byHand[args[0].str] {
		return
	}
	for _, a := range args {
		if a.kind == function {
			r.perhaps(func() ending { _, _ = r.callIn(a, unknownValue, nil); return ending{} })
		}
		if a.kind == object && a.obj != nil && len(a.obj.held) < mostFound {
			for name, held := range a.obj.held {
				if held.kind == function && !byHand[name] && !strangely[name] {
					r.perhaps(func() ending { _, _ = r.callIn(held, unknownValue, nil); return ending{} })
				}
			}
		}
	}
}

// strangely are names under which functions are handed over for what visitors do.
var strangely = map[string]bool{"onclick": true, "onClick": true, "onsubmit": true,
	"onSubmit": true, "onchange": true, "onChange": true, "handler": true, "onclose": true,
	"onClose": true}

// call runs a function whose end is nobody's business.
func (r *Runner) call(f, this value, args []value) {
	_, _ = r.callIn(f, this, args)
}

// callIn runs a function. Arguments that are missing are unknown where args is nil.
func (r *Runner) callIn(f, this value, args []value) (value, bool) {
	c := f.fn
	if c == nil || !r.step() {
		return unknownValue, false
	}
	if r.depth++; r.depth > mostDepth*3 {
		r.depth--
		r.stop()
		return unknownValue, true
	}
	defer func() { r.depth-- }()
	switch {
	case c.native != nil:
		return c.native(r, this, args), false
	case c.class != nil:
		return unknownValue, true // it has to be made with new
	case c.unknown:
		return safeValue, false
	}
	kept := r.flow
	r.flow = flow{thrown: !kept.sure() || f.unsure}
	began := r.flow.thrown
	source, line := r.source, r.line
	r.source, r.line = c.source, c.line
	e := r.inside(c, this, args)
	if r.flow.returned && e.how != throws {
		e = ending{how: returns, value: value{}}
	}
	threw := r.flow.thrown && !began
	r.source, r.line, r.flow = source, line, kept
	if threw && !c.async {
		r.flow.thrown = true
	}
	switch {
	case c.async:
		return safeValue, false
	case e.how == throws && f.unsure:
		r.flow.thrown = true
		return unknownValue, false
	case e.how == throws:
		return unknownValue, true
	case e.how == returns:
		return e.value, false
	}
	return undefinedValue, false
}

// inside runs the body of a function.
func (r *Runner) inside(c *code, this value, args []value) ending {
	env := newScope(c.env)
	env.function, env.this = true, this
	if c.lexical || c.bound {
		env.this = c.this
	}
	body, is := c.body.(*js.BlockStmt)
	if !is {
		return ending{}
	}
	if c.name != "" && env.find(c.name) == nil {
		env.declare(c.name, value{kind: function, fn: c})
	}
	if !c.lexical {
		env.declare("arguments", safeValue)
	}
	for i, p := range c.params.of.List {
		given := undefinedValue
		switch {
		case i < len(args):
			given = args[i]
		case args == nil:
			given = unknownValue
		}
		r.bindItem(p, given, js.LetToken, env)
	}
	if c.params.of.Rest != nil {
		r.bind(c.params.of.Rest, unknownValue, js.LetToken, env)
	}
	return r.block(body.List, &body.Scope, env)
}

// makes gives what new makes.
func (r *Runner) makes(n *js.NewExpr, env *scope) (value, bool) {
	f, threw := r.eval(n.X, env)
	if threw {
		return f, true
	}
	var args []value
	if n.Args != nil {
		var failed bool
		if args, _, failed = r.args(n.Args.List, env); failed {
			return f, true
		}
	}
	if args == nil {
		args = []value{}
	}
	if is, known := f.nothing(); known && is {
		return f, true
	}
	if v, done := r.madeByBrowser(n, args); done {
		return v, false
	}
	if f.kind != function || f.fn.native != nil || f.unsure {
		if f.kind == unknown && !f.safe {
			r.flow.thrown = true
		}
		r.handed(args, "")
		return value{kind: host, str: "made"}, false
	}
	made := newThings()
	this := value{kind: object, obj: made}
	if f.fn.class == nil {
		if f.fn.props != nil {
			if proto, is := f.fn.props.held["prototype"]; is && proto.kind == object {
				made.above = proto.obj
			}
		}
		v, failed := r.callIn(f, this, args)
		if v.kind == object && !failed {
			return v, false
		}
		return this, failed
	}
	class := f.fn.class
	made.above = class.methods
	in := newScope(class.env)
	in.function, in.this = true, this
	for i := range class.fields {
		held := undefinedValue
		if class.fields[i].Init != nil {
			var failed bool
			if held, failed = r.eval(class.fields[i].Init, in); failed {
				return this, true
			}
		}
		if !class.fields[i].Name.IsComputed() {
			made.held[keyOf(class.fields[i].Name.Literal)] = held
		}
	}
	if class.above {
		made.open = true
	}
	if class.maker != nil {
		if _, failed := r.callIn(value{kind: function, fn: class.maker}, this, args); failed {
			return this, true
		}
	}
	return this, false
}
