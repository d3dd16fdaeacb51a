package script

import (
	"github.com/tdewolff/parse/v2/js"
)

// scope holds names.
type scope struct {
	names    map[string]*value
	up       *scope
	function bool
	this     value
	withAny  bool // a with statement: any name may be anything
}

func newScope(up *scope) *scope { return &scope{names: map[string]*value{}, up: up} }

// find gives where a name is held; nil where nobody declared it.
func (s *scope) find(name string) *value {
	for ; s != nil; s = s.up {
		if v, is := s.names[name]; is {
			return v
		}
		if s.withAny {
			v := unknownValue
			return &v
		}
	}
	return nil
}

func (s *scope) declare(name string, v value) { s.names[name] = &v }

// own gives the scope of the function.
func (s *scope) own() *scope {
	for !s.function && s.up != nil {
		s = s.up
	}
	return s
}

// ends is how a statement ends.
type ends uint8

const (
	goesOn ends = iota
	breaks
	continues
	returns
	throws
)

// ending is how a statement ends, and with what.
type ending struct {
	how   ends
	label string
	value value
}

// hoist declares what a list of statements declares.
func (r *Runner) hoist(list []js.IStmt, declared *js.Scope, env *scope) {
	if declared != nil {
		for _, v := range declared.Declared {
			name := string(v.Data)
			if v.Decl == js.VariableDecl && env.own().names[name] == nil {
				env.own().declare(name, undefinedValue)
			}
		}
	}
	for _, s := range list {
		if f, is := s.(*js.FuncDecl); is && f.Name != nil {
			env.declare(string(f.Name.Data), r.closure(f, env))
		}
	}
}

// block runs statements one after the other.
func (r *Runner) block(list []js.IStmt, declared *js.Scope, env *scope) ending {
	r.hoist(list, declared, env)
	for _, s := range list {
		if e := r.statement(s, env); e.how != goesOn {
			return e
		}
	}
	return ending{}
}

// body runs the body of a loop or condition.
func (r *Runner) body(s js.IStmt, env *scope) ending {
	if s == nil {
		return ending{}
	}
	return r.statement(s, env)
}

// perhaps runs something of which nobody knows whether it runs, and notes how it may end.
func (r *Runner) perhaps(run func() ending) {
	r.flow.branch++
	e := run()
	r.flow.branch--
	switch e.how {
	case returns:
		r.flow.returned = true
	case throws:
		r.flow.thrown = true
	case breaks, continues:
		r.flow.broken = true
	}
}

// statement runs a statement.
func (r *Runner) statement(s js.IStmt, env *scope) ending {
	if !r.step() {
		return ending{how: throws}
	}
	r.depth++
	defer func() { r.depth-- }()
	if r.depth > mostDepth*4 {
		r.stop()
		return ending{how: throws}
	}
	var threw bool
	switch n := s.(type) {
	case *js.BlockStmt:
		return r.block(n.List, &n.Scope, newScope(env))
	case *js.ExprStmt:
		_, threw = r.eval(n.Value, env)
	case *js.VarDecl:
		threw = r.declare(n, env)
	case *js.IfStmt:
		return r.choose(n, env)
	case *js.ForStmt:
		return r.loopFor(n, env)
	case *js.WhileStmt:
		return r.loop(n.Cond, nil, n.Body, env, false)
	case *js.DoWhileStmt:
		return r.loop(n.Cond, nil, n.Body, env, true)
	case *js.ForInStmt:
		return r.each(n.Init, n.Value, n.Body, env, true)
	case *js.ForOfStmt:
		return r.each(n.Init, n.Value, n.Body, env, false)
	case *js.SwitchStmt:
		return r.choices(n, env)
	case *js.BranchStmt:
		e := ending{how: breaks, label: string(n.Label)}
		if n.Type == js.ContinueToken {
			e.how = continues
		}
		return e
	case *js.ReturnStmt:
		e := ending{how: returns, value: undefinedValue}
		if n.Value != nil {
			if e.value, threw = r.eval(n.Value, env); threw {
				return ending{how: throws}
			}
		}
		return e
	case *js.ThrowStmt:
		_, _ = r.eval(n.Value, env)
		return ending{how: throws}
	case *js.TryStmt:
		return r.try(n, env)
	case *js.LabelledStmt:
		e := r.statement(n.Value, env)
		if (e.how == breaks || e.how == continues) && e.label == string(n.Label) {
			return ending{}
		}
		return e
	case *js.WithStmt:
		_, _ = r.eval(n.Cond, env)
		in := newScope(env)
		in.withAny = true
		return r.body(n.Body, in)
	case *js.ClassDecl:
		c, failed := r.class(n, env)
		if threw = failed; !threw && n.Name != nil {
			env.declare(string(n.Name.Data), c)
		}
	case *js.ExportStmt:
		if n.Decl != nil {
			if d, is := n.Decl.(*js.VarDecl); is {
				threw = r.declare(d, env)
			} else {
				v, failed := r.eval(n.Decl, env)
				threw = failed
				if f, is := n.Decl.(*js.FuncDecl); is && f.Name != nil {
					env.declare(string(f.Name.Data), v)
				}
			}
		}
	case *js.ImportStmt:
		// what it imports may not come, and does what nobody knows
		r.flow.thrown = true
		if n.Default != nil {
			env.declare(string(n.Default), unknownValue)
		}
		for _, a := range n.List {
			env.declare(string(a.Binding), unknownValue)
		}
	}
	if threw {
		return ending{how: throws}
	}
	return ending{}
}

// choose runs an if statement.
func (r *Runner) choose(n *js.IfStmt, env *scope) ending {
	v, threw := r.eval(n.Cond, env)
	if threw {
		return ending{how: throws}
	}
	is, known := v.truth()
	switch {
	case known && is:
		return r.body(n.Body, env)
	case known && n.Else != nil:
		return r.body(n.Else, env)
	case known:
		return ending{}
	}
	var first, second ending
	r.perhaps(func() ending { first = r.body(n.Body, env); return first })
	if n.Else != nil {
		r.perhaps(func() ending { second = r.body(n.Else, env); return second })
	}
	if first.how != goesOn && first.how == second.how && first.label == second.label {
		return ending{how: first.how, label: first.label}
	}
	return ending{}
}

// choices runs a switch statement.
func (r *Runner) choices(n *js.SwitchStmt, env *scope) ending {
	v, threw := r.eval(n.Init, env)
	if threw {
		return ending{how: throws}
	}
	in := newScope(env)
	at, fallback, sure := -1, -1, true
	for i, c := range n.List {
		if c.Cond == nil {
			fallback = i
			continue
		}
		o, failed := r.eval(c.Cond, in)
		if failed {
			return ending{how: throws}
		}
		is, known := v.same(o, false, r)
		if !known {
			sure = false
			break
		}
		if is {
			at = i
			break
		}
	}
	if at < 0 {
		at = fallback
	}
	for _, c := range n.List {
		r.hoist(c.List, nil, in)
	}
	if !sure {
		before := r.flow.broken
		for _, c := range n.List {
			r.perhaps(func() ending { return r.cases(c.List, in) })
		}
		r.flow.broken = before
		return ending{}
	}
	if at < 0 {
		return ending{}
	}
	before := r.flow.broken
	defer func() { r.flow.broken = before }()
	for _, c := range n.List[at:] {
		switch e := r.cases(c.List, in); {
		case e.how == breaks && e.label == "":
			return ending{}
		case e.how != goesOn:
			return e
		}
	}
	return ending{}
}

func (r *Runner) cases(list []js.IStmt, env *scope) ending {
	for _, s := range list {
		if e := r.statement(s, env); e.how != goesOn {
			return e
		}
	}
	return ending{}
}

// loopFor runs a for statement.
func (r *Runner) loopFor(n *js.ForStmt, env *scope) ending {
	in := newScope(env)
	if n.Init != nil {
		if _, threw := r.eval(n.Init, in); threw {
			return ending{how: throws}
		}
	}
	var body js.IStmt
	if n.Body != nil {
		body = n.Body
	}
	return r.loop(n.Cond, n.Post, body, in, false)
}

// loop runs a body as long as a condition surely holds; where nobody knows whether it does, the
// body may run once more.
func (r *Runner) loop(cond, post js.IExpr, body js.IStmt, env *scope, first bool) ending {
	before := r.flow.broken
	defer func() { r.flow.broken = before }()
	for r.step() {
		if !first && cond != nil {
			v, threw := r.eval(cond, env)
			if threw {
				return ending{how: throws}
			}
			is, known := v.truth()
			if !known || r.flow.broken && !before {
				r.perhaps(func() ending { return r.body(body, env) })
				if post != nil {
					r.perhaps(func() ending { _, _ = r.eval(post, env); return ending{} })
				}
				return ending{}
			}
			if !is {
				return ending{}
			}
		}
		first = false
		switch e := r.body(body, env); {
		case e.how == breaks && e.label == "":
			return ending{}
		case e.how == continues && e.label == "", e.how == goesOn:
		default:
			return e
		}
		if r.flow.broken && !before {
			return ending{} // whether it goes on, nobody knows
		}
		if post != nil {
			if _, threw := r.eval(post, env); threw {
				return ending{how: throws}
			}
		}
	}
	return ending{how: throws}
}

// each runs a for…in or for…of statement.
func (r *Runner) each(init, over js.IExpr, body *js.BlockStmt, env *scope, names bool) ending {
	v, threw := r.eval(over, env)
	if threw {
		return ending{how: throws}
	}
	before := r.flow.broken
	defer func() { r.flow.broken = before }()
	set := func(in *scope, v value) {
		if d, is := init.(*js.VarDecl); is && len(d.List) == 1 {
			r.bind(d.List[0].Binding, v, d.TokenType, in)
		} else if init != nil {
			r.assign(init, v, in)
		}
	}
	if v.kind == object && v.obj.list && !v.obj.open && !v.unsure && !names {
		for i := 0; i < v.obj.count && r.step(); i++ {
			in := newScope(env)
			item, _ := v.obj.get(index(i))
			set(in, item)
			switch e := r.block(body.List, &body.Scope, in); {
			case e.how == breaks && e.label == "":
				return ending{}
			case e.how == continues && e.label == "", e.how == goesOn:
			default:
				return e
			}
			if r.flow.broken && !before {
				return ending{}
			}
		}
		return ending{}
	}
	in := newScope(env)
	r.perhaps(func() ending {
		set(in, unknownValue)
		return r.block(body.List, &body.Scope, in)
	})
	return ending{}
}

// try runs a try statement.
func (r *Runner) try(n *js.TryStmt, env *scope) ending {
	before := r.flow.thrown
	e := r.block(n.Body.List, &n.Body.Scope, newScope(env))
	may := r.flow.thrown && !before
	r.flow.thrown = before
	if n.Catch != nil {
		handle := func() ending {
			in := newScope(env)
			if n.Binding != nil {
				r.bind(n.Binding, safeValue, js.LetToken, in)
			}
			return r.block(n.Catch.List, &n.Catch.Scope, in)
		}
		switch {
		case e.how == throws:
			e = handle()
		case may:
			var caught ending
			r.perhaps(func() ending { caught = handle(); return caught })
			if e.how != goesOn && caught.how != e.how { // whether it ended so, nobody knows
				r.perhaps(func() ending { return e })
				e = ending{}
			}
		}
	} else {
		r.flow.thrown = before || may
	}
	if n.Finally != nil {
		if f := r.block(n.Finally.List, &n.Finally.Scope, newScope(env)); f.how != goesOn {
			return f
		}
	}
	return e
}

// declare runs a declaration.
func (r *Runner) declare(n *js.VarDecl, env *scope) (threw bool) {
	for _, item := range n.List {
		if item.Default == nil {
			if v, is := item.Binding.(*js.Var); is && n.TokenType != js.VarToken {
				env.declare(string(v.Data), undefinedValue)
			}
			continue
		}
		v, failed := r.eval(item.Default, env)
		if failed {
			return true
		}
		if r.bind(item.Binding, v, n.TokenType, env) {
			return true
		}
	}
	return false
}

// bind gives names their values.
func (r *Runner) bind(b js.IBinding, v value, how js.TokenType, env *scope) (threw bool) {
	switch n := b.(type) {
	case *js.Var:
		name := string(n.Data)
		if how != js.VarToken {
			env.declare(name, v)
			return false
		}
		own := env.own()
		if own.up == nil && r.setGlobal(name, v, n.Data) {
			return false
		}
		if held := env.find(name); held != nil && own.names[name] != nil {
			r.store(own.names[name], v)
		} else {
			own.declare(name, r.unsureIn(v))
		}
	case *js.BindingObject:
		if is, known := v.nothing(); known && is {
			return true
		}
		for _, item := range n.List {
			given := unknownValue
			if item.Key != nil && !item.Key.IsComputed() {
				given, _ = r.property(v, keyOf(item.Key.Literal))
			} else if of, is := item.Value.Binding.(*js.Var); is && item.Key == nil {
				given, _ = r.property(v, string(of.Data))
			}
			r.bindItem(item.Value, given, how, env)
		}
		if n.Rest != nil {
			r.bind(n.Rest, unknownValue, how, env)
		}
	case *js.BindingArray:
		for i, item := range n.List {
			if item.Binding == nil {
				continue
			}
			given := unknownValue
			if v.kind == object {
				given, _ = r.property(v, index(i))
			}
			r.bindItem(item, given, how, env)
		}
		if n.Rest != nil {
			r.bind(n.Rest, unknownValue, how, env)
		}
	}
	return false
}

func (r *Runner) bindItem(item js.BindingElement, given value, how js.TokenType, env *scope) {
	if item.Default != nil {
		switch {
		case given.kind == undefined && !given.unsure:
			given, _ = r.eval(item.Default, env)
		case given.kind == unknown || given.unsure:
			given = unknownValue
		}
	}
	if item.Binding != nil {
		r.bind(item.Binding, given, how, env)
	}
}

// store sets a name: where nobody knows whether a browser comes here, nobody knows what it holds
// then.
func (r *Runner) store(held *value, v value) {
	if !r.flow.sure() {
		if held.kind == function && v.kind == function {
			held.unsure = true
			return
		}
		v = r.unsureIn(v)
	}
	*held = v
}

// unsureIn gives a value as it is known where it is set.
func (r *Runner) unsureIn(v value) value {
	if !r.flow.sure() {
		v.unsure = true
	}
	return v
}
