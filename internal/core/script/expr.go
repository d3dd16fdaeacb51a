package script

import (
	"bytes"
	"math"
	"strconv"
	"strings"

	"github.com/tdewolff/parse/v2/js"
)

// index gives the name of an item of a list.
func index(i int) string { return strconv.Itoa(i) }

// eval gives the value of an expression; threw: it surely throws.
func (r *Runner) eval(e js.IExpr, env *scope) (v value, threw bool) {
	if !r.step() {
		return unknownValue, true
	}
	r.depth++
	defer func() { r.depth-- }()
	if r.depth > mostDepth*4 {
		r.stop()
		return unknownValue, true
	}
	switch n := e.(type) {
	case *js.Var:
		return r.named(n, env)
	case *js.LiteralExpr:
		return r.literal(n, env), false
	case *js.GroupExpr:
		return r.eval(n.X, env)
	case *js.TemplateExpr:
		return r.template(n, env)
	case *js.ArrayExpr:
		return r.list(n, env)
	case *js.ObjectExpr:
		return r.object(n, env)
	case *js.FuncDecl:
		return r.closure(n, env), false
	case *js.ArrowFunc:
		return value{kind: function, fn: &code{params: params{n.Params}, body: &n.Body, env: env,
			lexical: true, this: r.thisOf(env), source: r.source, line: r.line, async: n.Async}}, false
	case *js.ClassDecl:
		return r.class(n, env)
	case *js.VarDecl:
		return undefinedValue, r.declare(n, env)
	case *js.CommaExpr:
		for _, x := range n.List {
			if v, threw = r.eval(x, env); threw {
				return v, true
			}
		}
		return v, false
	case *js.CondExpr:
		return r.either(n, env)
	case *js.DotExpr:
		v, _, threw = r.member(n.X, n.Optional, literalOf(n.Y), nil, env)
		return v, threw
	case *js.IndexExpr:
		v, _, threw = r.member(n.X, n.Optional, nil, n.Y, env)
		return v, threw
	case *js.UnaryExpr:
		return r.unary(n, env)
	case *js.BinaryExpr:
		return r.binary(n, env)
	case *js.CallExpr:
		return r.calls(n, env)
	case *js.NewExpr:
		return r.makes(n, env)
	case *js.YieldExpr:
		if n.X != nil {
			return r.eval(n.X, env)
		}
	}
	return unknownValue, false
}

// literalOf gives the letters of a name behind a dot.
func literalOf(e js.IExpr) []byte {
	switch n := e.(type) {
	case *js.LiteralExpr:
		return n.Data
	case js.LiteralExpr:
		return n.Data
	case *js.Var:
		return n.Data
	}
	return nil
}

func keyOf(l js.LiteralExpr) string {
	if l.TokenType == js.StringToken {
		s, _ := unquoted(l.Data)
		return s
	}
	return string(l.Data)
}

// named gives what a name holds.
func (r *Runner) named(n *js.Var, env *scope) (value, bool) {
	name := string(n.Name())
	if held := env.find(name); held != nil {
		return *held, false
	}
	v, is := r.globalNamed(name)
	if !is {
		r.flow.thrown = true // nobody here declared it: another script may have
	}
	return v, false
}

func (r *Runner) thisOf(env *scope) value {
	if own := env.own(); own.up != nil || own.this.kind != unknown {
		return own.this
	}
	return value{kind: window}
}

// literal gives the value of a literal.
func (r *Runner) literal(n *js.LiteralExpr, env *scope) value {
	switch n.TokenType {
	case js.StringToken:
		s, known := unquoted(n.Data)
		if !known {
			return safeValue
		}
		return textOf(s)
	case js.ThisToken:
		return r.thisOf(env)
	case js.NullToken:
		return nullValue
	case js.TrueToken:
		return boolOf(true)
	case js.FalseToken:
		return boolOf(false)
	case js.RegExpToken:
		return patternOf(string(n.Data))
	case js.DecimalToken, js.IntegerToken:
		f, err := strconv.ParseFloat(strings.ReplaceAll(string(n.Data), "_", ""), 64)
		if err != nil || len(n.Data) > 1 && n.Data[0] == '0' && n.Data[1] != '.' {
			return safeValue
		}
		return numberOf(f)
	case js.HexadecimalToken, js.BinaryToken, js.OctalToken:
		i, err := strconv.ParseInt(string(n.Data), 0, 53)
		if err != nil {
			return safeValue
		}
		return numberOf(float64(i))
	}
	return unknownValue
}

// unquoted gives what a string literal stands for (ECMAScript, section 12.9.4).
func unquoted(data []byte) (string, bool) {
	if len(data) < 2 {
		return "", false
	}
	return unescaped(data[1 : len(data)-1])
}

// simple are the escapes of one letter that stand for another.
var simple = map[byte]string{'n': "\n", 't': "\t", 'r': "\r", 'b': "\b", 'f': "\f", 'v': "\v",
	'\n': ""}

func unescaped(s []byte) (string, bool) {
	var out []uint16
	for len(s) > 0 {
		end := bytes.IndexByte(s, '\\')
		if end < 0 {
			end = len(s)
		}
		out = append(out, utf16Of(string(s[:end]))...)
		if s = s[end:]; len(s) == 0 {
			break
		}
		if len(s) < 2 {
			return "", false
		}
		units, size, ok := escape(s[1:])
		if !ok {
			return "", false
		}
		out, s = append(out, units...), s[1+size:]
	}
	return of16(out), true
}

// escape reads what stands behind a backslash, and says how many octets that takes.
func escape(s []byte) (units []uint16, size int, ok bool) {
	hex := func(digits []byte, size int) ([]uint16, int, bool) {
		n, err := strconv.ParseUint(string(digits), 16, 32)
		if err != nil || n > 0x10ffff {
			return nil, 0, false
		}
		if n > 0xffff {
			return utf16Of(string(rune(n))), size, true
		}
		return []uint16{uint16(n)}, size, true
	}
	c := s[0]
	if text, is := simple[c]; is {
		return utf16Of(text), 1, true
	}
	switch {
	case c == '\r':
		if len(s) > 1 && s[1] == '\n' {
			return nil, 2, true
		}
		return nil, 1, true
	case c == 'x' && len(s) >= 3:
		return hex(s[1:3], 3)
	case c == 'u' && len(s) > 1 && s[1] == '{':
		if end := bytes.IndexByte(s, '}'); end > 0 {
			return hex(s[2:end], end+1)
		}
		return nil, 0, false
	case c == 'u' && len(s) >= 5:
		return hex(s[1:5], 5)
	case c == 'x' || c == 'u':
		return nil, 0, false
	case c >= '0' && c <= '7':
		n, size := 0, 0
		for size < len(s) && size < 3 && s[size] >= '0' && s[size] <= '7' && n*8 < 256 {
			n, size = n*8+int(s[size]-'0'), size+1
		}
		return []uint16{uint16(n)}, size, true
	}
	size = 1
	for size < len(s) && s[size]&0xc0 == 0x80 {
		size++
	}
	return utf16Of(string(s[:size])), size, true
}

func (r *Runner) template(n *js.TemplateExpr, env *scope) (value, bool) {
	var b strings.Builder
	known := n.Tag == nil
	for _, part := range n.List {
		from := 1 // behind the quote, or the brace
		raw := part.Value
		if len(raw) < from+2 {
			return unknownValue, false
		}
		s, ok := unescaped(raw[from : len(raw)-2])
		known = known && ok
		b.WriteString(s)
		v, threw := r.eval(part.Expr, env)
		if threw {
			return v, true
		}
		s, ok = v.text(r)
		known = known && ok
		b.WriteString(s)
	}
	if len(n.Tail) >= 2 {
		s, ok := unescaped(n.Tail[1 : len(n.Tail)-1])
		known = known && ok
		b.WriteString(s)
	}
	switch {
	case n.Tag != nil:
		_, threw := r.eval(n.Tag, env)
		return unknownValue, threw
	case !known || b.Len() > mostText:
		return safeValue, false
	}
	return textOf(b.String()), false
}

func (r *Runner) list(n *js.ArrayExpr, env *scope) (value, bool) {
	made := newThings()
	made.list = true
	for _, item := range n.List {
		if item.Value == nil {
			made.count++
			continue
		}
		v, threw := r.eval(item.Value, env)
		if threw {
			return v, true
		}
		if item.Spread {
			made.open = true
			continue
		}
		made.held[index(made.count)] = v
		made.count++
	}
	return value{kind: object, obj: made}, false
}

func (r *Runner) object(n *js.ObjectExpr, env *scope) (value, bool) {
	made := newThings()
	for _, p := range n.List {
		if p.Spread {
			v, threw := r.eval(p.Value, env)
			if threw {
				return v, true
			}
			if v.kind == object && !v.obj.open && !v.unsure {
				for name, held := range v.obj.held {
					made.held[name] = held
				}
			} else {
				made.open = true
			}
			continue
		}
		if m, is := p.Value.(*js.MethodDecl); is {
			if m.Get || m.Set || m.Name.IsComputed() {
				made.open = true
				continue
			}
			made.held[keyOf(m.Name.Literal)] = r.method(m, env)
			continue
		}
		v, threw := r.eval(p.Value, env)
		if threw {
			return v, true
		}
		switch {
		case p.Name == nil:
			if of, is := p.Value.(*js.Var); is {
				made.held[string(of.Data)] = v
			}
		case p.Name.IsComputed():
			name, failed := r.eval(p.Name.Computed, env)
			if failed {
				return name, true
			}
			if s, known := name.text(r); known {
				made.held[s] = v
			} else {
				made.open = true
			}
		default:
			made.held[keyOf(p.Name.Literal)] = v
		}
	}
	return value{kind: object, obj: made}, false
}

func (r *Runner) either(n *js.CondExpr, env *scope) (value, bool) {
	c, threw := r.eval(n.Cond, env)
	if threw {
		return c, true
	}
	is, known := c.truth()
	switch {
	case known && is:
		return r.eval(n.X, env)
	case known:
		return r.eval(n.Y, env)
	}
	var a, b value
	r.perhaps(func() ending { a = r.evalIn(n.X, env); return ending{} })
	r.perhaps(func() ending { b = r.evalIn(n.Y, env); return ending{} })
	if same, known := a.same(b, false, r); known && same {
		return a, false
	}
	an, ak := a.nothing()
	bn, bk := b.nothing()
	return value{safe: ak && bk && !an && !bn}, false
}

// evalIn gives the value of an expression of which nobody knows whether it is asked for.
func (r *Runner) evalIn(e js.IExpr, env *scope) value {
	v, threw := r.eval(e, env)
	if threw {
		r.flow.thrown = true
	}
	return v
}

func (r *Runner) unary(n *js.UnaryExpr, env *scope) (value, bool) {
	if n.Op == js.TypeofToken {
		if of, is := n.X.(*js.Var); is && env.find(string(of.Name())) == nil {
			v, there := r.globalNamed(string(of.Name()))
			if !there {
				return safeValue, false
			}
			if s, known := v.typeName(); known {
				return textOf(s), false
			}
			return safeValue, false
		}
	}
	v, threw := r.eval(n.X, env)
	if threw {
		return v, true
	}
	switch n.Op {
	case js.NotToken:
		if is, known := v.truth(); known {
			return boolOf(!is), false
		}
		return safeValue, false
	case js.TypeofToken:
		if s, known := v.typeName(); known {
			return textOf(s), false
		}
		return safeValue, false
	case js.VoidToken:
		return undefinedValue, false
	case js.DeleteToken:
		return boolOf(true), false
	case js.AwaitToken:
		r.flow.returned = true // what is waited for may never come
		return unknownValue, false
	case js.PosToken, js.NegToken:
		f, known := v.number(r)
		switch {
		case !known:
			return safeValue, false
		case n.Op == js.NegToken:
			f = -f
		}
		return numberOf(f), false
	case js.PreIncrToken, js.PreDecrToken, js.PostIncrToken, js.PostDecrToken:
		f, known := v.number(r)
		step := 1.0
		if n.Op == js.PreDecrToken || n.Op == js.PostDecrToken {
			step = -1
		}
		next, old := safeValue, safeValue
		if known {
			next, old = numberOf(f+step), numberOf(f)
		}
		r.assign(n.X, next, env)
		if n.Op == js.PostIncrToken || n.Op == js.PostDecrToken {
			return old, false
		}
		return next, false
	}
	return safeValue, false
}

// compound gives the operator of an assignment such as +=.
var compound = map[js.TokenType]js.TokenType{
	js.AddEqToken: js.AddToken, js.SubEqToken: js.SubToken, js.MulEqToken: js.MulToken,
	js.DivEqToken: js.DivToken, js.ModEqToken: js.ModToken, js.AndEqToken: js.AndToken,
	js.OrEqToken: js.OrToken, js.NullishEqToken: js.NullishToken, js.ExpEqToken: js.ExpToken,
	js.BitAndEqToken: js.BitAndToken, js.BitOrEqToken: js.BitOrToken, js.BitXorEqToken: js.BitXorToken,
	js.LtLtEqToken: js.LtLtToken, js.GtGtEqToken: js.GtGtToken, js.GtGtGtEqToken: js.GtGtGtToken,
}

func (r *Runner) binary(n *js.BinaryExpr, env *scope) (value, bool) {
	if n.Op == js.EqToken {
		v, threw := r.eval(n.Y, env)
		if threw {
			return v, true
		}
		return v, r.assign(n.X, v, env)
	}
	x, threw := r.eval(n.X, env)
	if threw {
		return x, true
	}
	op, assigns := n.Op, false
	if plain, is := compound[n.Op]; is {
		op, assigns = plain, true
	}
	v, threw := r.operate(op, x, n.Y, env)
	if threw {
		return v, true
	}
	if assigns {
		return v, r.assign(n.X, v, env)
	}
	return v, false
}

// operate applies an operator to a value and an expression.
func (r *Runner) operate(op js.TokenType, x value, y js.IExpr, env *scope) (value, bool) {
	switch op {
	case js.AndToken, js.OrToken, js.NullishToken:
		is, known := x.truth()
		if op == js.NullishToken {
			is, known = x.nothing()
			is = !is
		}
		skips := is == (op != js.AndToken)
		switch {
		case known && skips:
			return x, false
		case known:
			return r.eval(y, env)
		}
		var v value
		r.perhaps(func() ending { v = r.evalIn(y, env); return ending{} })
		if is, known := v.truth(); known && is == (op == js.OrToken) && v.kind == boolean &&
			x.kind == boolean {
			return v, false
		}
		if is, known := v.truth(); op == js.AndToken && known && !is {
			return boolOf(false), false // whatever x is, it does not count as true
		}
		if is, known := v.truth(); op == js.OrToken && known && is {
			return value{kind: host, str: "something"}, false
		}
		return unknownValue, false
	}
	v, threw := r.eval(y, env)
	if threw {
		return v, true
	}
	switch op {
	case js.EqEqToken, js.NotEqToken, js.EqEqEqToken, js.NotEqEqToken:
		loose := op == js.EqEqToken || op == js.NotEqToken
		if is, known := x.same(v, loose, r); known {
			return boolOf(is == (op == js.EqEqToken || op == js.EqEqEqToken)), false
		}
		return safeValue, false
	case js.AddToken:
		return r.added(x, v), false
	case js.LtToken, js.GtToken, js.LtEqToken, js.GtEqToken:
		if x.kind == text && v.kind == text && !x.unsure && !v.unsure {
			return boolOf(ordered(op, strings.Compare(x.str, v.str))), false
		}
		a, ka := x.number(r)
		b, kb := v.number(r)
		if !ka || !kb || math.IsNaN(a) || math.IsNaN(b) {
			if ka && kb {
				return boolOf(false), false
			}
			return safeValue, false
		}
		how := 0
		if a < b {
			how = -1
		} else if a > b {
			how = 1
		}
		return boolOf(ordered(op, how)), false
	case js.InToken, js.InstanceofToken:
		return safeValue, false
	}
	a, ka := x.number(r)
	b, kb := v.number(r)
	if !ka || !kb {
		return safeValue, false
	}
	switch op {
	case js.SubToken:
		return numberOf(a - b), false
	case js.MulToken:
		return numberOf(a * b), false
	case js.DivToken:
		return numberOf(a / b), false
	case js.ModToken:
		return numberOf(math.Mod(a, b)), false
	}
	return safeValue, false
}

func ordered(op js.TokenType, how int) bool {
	switch op {
	case js.LtToken:
		return how < 0
	case js.GtToken:
		return how > 0
	case js.LtEqToken:
		return how <= 0
	}
	return how >= 0
}

// added gives x + y.
func (r *Runner) added(x, y value) value {
	texts := func(v value) bool { return v.kind >= text }
	if texts(x) || texts(y) {
		a, ka := x.text(r)
		b, kb := y.text(r)
		if ka && kb {
			return textOf(a + b)
		}
		return safeValue
	}
	if x.kind == unknown || y.kind == unknown {
		return safeValue
	}
	a, ka := x.number(r)
	b, kb := y.number(r)
	if ka && kb {
		return numberOf(a + b)
	}
	return safeValue
}

// member gives a part of a value, by the letters behind a dot or by an expression in brackets, and
// the value itself.
func (r *Runner) member(x js.IExpr, optional bool, name []byte, by js.IExpr, env *scope) (v,
	of value, threw bool) {
	if of, threw = r.eval(x, env); threw {
		return of, of, true
	}
	key, known := string(name), true
	if by != nil {
		k, failed := r.eval(by, env)
		if failed {
			return k, of, true
		}
		key, known = k.text(r)
	}
	is, sure := of.nothing()
	switch {
	case is && sure && optional:
		return undefinedValue, of, false
	case is && sure:
		return undefinedValue, of, true
	case !sure && !optional:
		r.flow.thrown = true
	}
	if !known {
		return unknownValue, of, false
	}
	v, _ = r.property(of, key)
	if of.unsure {
		v.unsure = true
	}
	return v, of, false
}

// assign sets what an expression stands for.
func (r *Runner) assign(to js.IExpr, v value, env *scope) (threw bool) {
	switch n := to.(type) {
	case *js.GroupExpr:
		return r.assign(n.X, v, env)
	case *js.Var:
		name := string(n.Name())
		if held := env.find(name); held != nil {
			r.store(held, v)
			return false
		}
		if !r.setGlobal(name, v, n.Data) {
			r.global.declare(name, r.unsureIn(v))
		}
	case *js.DotExpr:
		of, failed := r.eval(n.X, env)
		if failed {
			return true
		}
		return r.set(of, string(literalOf(n.Y)), v, literalOf(n.Y))
	case *js.IndexExpr:
		of, failed := r.eval(n.X, env)
		if failed {
			return true
		}
		k, failed := r.eval(n.Y, env)
		if failed {
			return true
		}
		key, known := k.text(r)
		if !known {
			if of.kind == place || of.kind == window {
				r.flow.branch++
				r.goes(unknownValue, placeOf(n.Y))
				r.flow.branch--
			}
			if of.obj != nil {
				of.obj.open = true
			}
			return false
		}
		return r.set(of, key, v, placeOf(n.Y))
	case *js.ArrayExpr, *js.ObjectExpr:
		r.spoil(to, env)
	}
	return false
}

// spoil makes all names of a pattern unknown that is assigned to.
func (r *Runner) spoil(e js.IExpr, env *scope) {
	switch n := e.(type) {
	case *js.ArrayExpr:
		for _, item := range n.List {
			if item.Value != nil {
				r.spoil(item.Value, env)
			}
		}
	case *js.ObjectExpr:
		for _, p := range n.List {
			r.spoil(p.Value, env)
		}
	case *js.Var, *js.DotExpr, *js.IndexExpr:
		r.assign(e, unknownValue, env)
	}
}

// placeOf gives letters of an expression, by which its line is found.
func placeOf(e js.IExpr) []byte {
	switch n := e.(type) {
	case *js.LiteralExpr:
		return n.Data
	case *js.DotExpr:
		return literalOf(n.Y)
	case *js.IndexExpr:
		return placeOf(n.Y)
	case *js.GroupExpr:
		return placeOf(n.X)
	case *js.BinaryExpr:
		if at := placeOf(n.X); at != nil {
			return at
		}
		return placeOf(n.Y)
	case *js.CallExpr:
		return placeOf(n.X)
	case *js.TemplateExpr:
		return n.Tail
	case *js.Var:
		return n.Data
	}
	return nil
}
