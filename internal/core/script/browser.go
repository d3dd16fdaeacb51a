package script

import (
	"encoding/base64"
	"math"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"unicode/utf8"

	"github.com/tdewolff/parse/v2"
	"github.com/tdewolff/parse/v2/js"
)

// known are names that every browser has, and of which a script learns what nobody here knows.
var known = map[string]bool{}

func init() {
	for _, name := range []string{
		"navigator", "screen", "history", "localStorage", "sessionStorage", "Date", "Math", "JSON",
		"Object", "Array", "console", "performance", "fetch", "XMLHttpRequest", "Promise", "Image",
		"Event", "CustomEvent", "URL", "URLSearchParams", "Number", "String", "Boolean", "RegExp",
		"Error", "TypeError", "Map", "Set", "WeakMap", "WeakSet", "Symbol", "Reflect", "Proxy",
		"Intl", "crypto", "caches", "indexedDB", "customElements", "visualViewport", "matchMedia",
		"getComputedStyle", "requestAnimationFrame", "cancelAnimationFrame", "requestIdleCallback",
		"queueMicrotask", "setTimeout", "setInterval", "clearTimeout", "clearInterval",
		"addEventListener", "removeEventListener", "dispatchEvent", "postMessage", "alert",
		"confirm", "prompt", "scrollTo", "scroll", "scrollBy", "print", "focus", "blur", "close",
		"stop", "open", "parseInt", "parseFloat", "isNaN", "isFinite", "encodeURIComponent",
		"decodeURIComponent", "encodeURI", "decodeURI", "escape", "unescape", "atob", "btoa",
		"eval", "Function", "MutationObserver", "IntersectionObserver", "Element", "Node",
		"HTMLElement", "Document", "Window", "DOMParser", "FormData", "Blob", "File", "FileReader",
		"Worker", "WebSocket", "AbortController", "Headers", "Request", "Response",
		"structuredClone", "CSS", "Uint8Array", "ArrayBuffer", "DataView", "innerWidth",
		"innerHeight", "outerWidth", "outerHeight", "devicePixelRatio", "pageXOffset",
		"pageYOffset", "scrollX", "scrollY", "screenX", "screenY", "origin", "isSecureContext",
		"name", "length", "external", "menubar", "toolbar",
	} {
		known[name] = true
	}
}

// globalNamed gives what a name stands for that no script declared; there is whether a browser
// surely has it.
func (r *Runner) globalNamed(name string) (v value, there bool) {
	switch name {
	case "window", "self", "top", "parent", "globalThis", "frames":
		return value{kind: window}, true
	case "location":
		return value{kind: place}, true
	case "document":
		return value{kind: document}, true
	case "undefined":
		return undefinedValue, true
	case "NaN":
		return numberOf(math.NaN()), true
	case "Infinity":
		return numberOf(math.Inf(1)), true
	case "origin":
		r.outcome.ReadsURL = true
		return textOf(r.part("origin")), true
	case "opener", "frameElement", "event":
		return unknownValue, true
	case "name": // another site's is taken away on the way here
		return textOf(""), true
	case "innerWidth", "innerHeight", "outerWidth", "outerHeight", "devicePixelRatio", "length":
		return safeValue, true
	}
	if known[name] {
		return value{kind: host, str: name}, true
	}
	if strings.HasPrefix(name, "on") && name == strings.ToLower(name) {
		return unknownValue, true
	}
	return unknownValue, false
}

// setGlobal sets a name of the window that a browser makes something of, and reports whether it is
// one.
func (r *Runner) setGlobal(name string, v value, at []byte) bool {
	switch name {
	case "location":
		r.goes(v, at)
		return true
	case "onload", "onpageshow":
		if v.kind == function {
			v.unsure = v.unsure || !r.flow.sure()
			r.onload = v
		}
		return true
	case "window", "document", "top", "undefined", "NaN":
		return true
	}
	return strings.HasPrefix(name, "on") && name == strings.ToLower(name) && byHand[name[2:]]
}

// href gives the page's own address.
func (r *Runner) href() string {
	r.outcome.ReadsURL = true
	return r.page.URL.String()
}

// part gives a part of the page's own address, as location has it (the HTML Standard, section
// 7.2.4).
func (r *Runner) part(name string) string {
	u := r.page.URL
	r.outcome.ReadsURL = true
	authority := u.Door().Authority()
	switch name {
	case "href":
		return u.String()
	case "protocol":
		return string(u.Scheme()) + ":"
	case "host":
		return authority
	case "hostname":
		return u.Host().String()
	case "port":
		if _, port, is := strings.Cut(authority, ":"); is && !strings.HasPrefix(authority, "[") {
			return port
		}
		return ""
	case "pathname":
		return u.Path()
	case "search":
		if u.Query() == "" {
			return ""
		}
		return "?" + u.Query()
	case "origin":
		return string(u.Scheme()) + "://" + authority
	}
	return ""
}

// with gives the page's own address with a part of it set.
func (r *Runner) with(name, to string) (string, bool) {
	scheme, host, path, query := r.part("protocol"), r.part("host"), r.part("pathname"),
		r.part("search")
	switch name {
	case "protocol":
		if scheme = strings.TrimRight(to, ":/"); scheme != "http" && scheme != "https" {
			return "", false
		}
		scheme += ":"
	case "host":
		host = to
	case "hostname":
		if port := r.part("port"); port != "" {
			to += ":" + port
		}
		host = to
	case "port":
		if host = r.part("hostname"); to != "" {
			host += ":" + to
		}
	case "pathname":
		if path = to; !strings.HasPrefix(path, "/") {
			path = "/" + path
		}
		path = strings.NewReplacer("?", "%3F", "#", "%23").Replace(path)
	case "search":
		if query = to; to != "" && !strings.HasPrefix(to, "?") {
			query = "?" + to
		}
		query = strings.ReplaceAll(query, "#", "%23")
	default:
		return "", false
	}
	return scheme + "//" + host + path + query, true
}

var placeParts = []string{"href", "protocol", "host", "hostname", "port", "pathname", "search",
	"origin", "hash"}

// property gives a part of a value; there is whether it surely is one.
func (r *Runner) property(of value, name string) (v value, there bool) {
	switch of.kind {
	case window:
		if held := r.global.names[name]; held != nil {
			return *held, true
		}
		v, is := r.globalNamed(name)
		return v, is
	case place:
		if slices.Contains(placeParts, name) {
			return textOf(r.part(name)), true
		}
		if name == "ancestorOrigins" {
			return safeValue, true
		}
		return value{kind: host, str: name}, true // its functions
	case document:
		return r.ofDocument(name), true
	case element:
		if held, is := of.obj.held[name]; is {
			return held, true
		}
		switch name {
		case "style", "classList", "dataset", "attributes", "children", "childNodes":
			return value{kind: host, str: name}, true
		case "parentNode", "parentElement", "firstChild", "nextSibling", "contentWindow", "form",
			"onload", "onclick", "lastChild", "previousSibling":
			return unknownValue, true
		}
		return value{kind: host, str: name, safe: true}, true
	case object:
		v, is := of.obj.get(name)
		if !is && of.obj.list {
			return value{kind: host, str: name}, true
		}
		return v, is
	case function:
		if of.fn.props != nil {
			if held, is := of.fn.props.held[name]; is {
				return held, true
			}
		}
		switch name {
		case "prototype":
			if of.fn.props == nil {
				of.fn.props = newThings()
			}
			proto := value{kind: object, obj: newThings()}
			of.fn.props.held[name] = proto
			return proto, true
		case "call", "apply", "bind":
			return value{kind: host, str: name}, true
		}
		return unknownValue, true
	case text:
		if name == "length" {
			return numberOf(float64(len(utf16Of(of.str)))), true
		}
		if n, err := strconv.Atoi(name); err == nil {
			if u := utf16Of(of.str); n >= 0 && n < len(u) {
				return textOf(string(of16(u[n : n+1]))), true
			}
			return undefinedValue, true
		}
		return value{kind: host, str: name}, true
	case number, boolean:
		return value{kind: host, str: name}, true
	case host:
		switch of.str {
		case "navigator", "screen", "performance":
			if name == "connection" || name == "userLanguage" || name == "standalone" ||
				name == "doNotTrack" || name == "userAgentData" || name == "serviceWorker" {
				return unknownValue, true
			}
			return safeValue, true
		case "history", "console", "Math", "JSON", "Object", "Array", "Date", "String", "Number":
			return value{kind: host, str: of.str + "." + name}, true
		case "style", "classList", "dataset":
			return safeValue, true
		case "pattern", "replace", "assign":
			return value{kind: host, str: name}, true
		}
		return unknownValue, true
	case unknown:
		return value{safe: of.safe && !strings.HasPrefix(name, "parent")}, true
	}
	return unknownValue, true
}

// ofDocument gives a part of the document.
func (r *Runner) ofDocument(name string) value {
	switch name {
	case "location":
		return value{kind: place}
	case "defaultView", "parentWindow":
		return value{kind: window}
	case "URL", "documentURI", "baseURI":
		return textOf(r.href())
	case "domain":
		return textOf(r.part("hostname"))
	case "readyState":
		return textOf(r.ready)
	case "documentElement", "head", "scrollingElement":
		return newElement("html")
	case "body":
		if r.loaded || r.bodied {
			return newElement("body")
		}
		return nullValue
	case "forms", "links", "images", "scripts", "anchors", "fonts", "styleSheets", "implementation":
		return value{kind: host, str: name}
	case "currentScript", "activeElement", "all":
		return unknownValue
	case "cookie", "referrer", "title", "lastModified", "visibilityState", "hidden", "characterSet",
		"compatMode", "doctype":
		return safeValue
	}
	return value{kind: host, str: name}
}

func newElement(tag string) value {
	return value{kind: element, obj: &things{held: map[string]value{}, tag: strings.ToLower(tag)}}
}

// set sets a part of a value; at are letters at its place.
func (r *Runner) set(of value, name string, v value, at []byte) (threw bool) {
	is, sure := of.nothing()
	switch {
	case is && sure:
		return true
	case !sure:
		r.flow.thrown = true
	}
	switch of.kind {
	case window:
		if held := r.global.names[name]; held != nil && name != "location" {
			r.store(held, v)
		} else if !r.setGlobal(name, v, at) {
			r.global.declare(name, r.unsureIn(v))
		}
	case document:
		switch name {
		case "location":
			r.goes(v, at)
		case "onreadystatechange", "onDOMContentLoaded":
			r.whenLoaded(v)
		}
	case place:
		r.setPlace(name, v, at)
	case element:
		if name == "onload" && of.obj.tag == "body" {
			r.setGlobal("onload", v, at)
			return false
		}
		of.obj.held[name] = r.unsureIn(v)
		r.called(name, v)
	case object:
		if held, is := of.obj.held[name]; is {
			r.store(&held, v)
			of.obj.held[name] = held
		} else {
			of.obj.held[name] = r.unsureIn(v)
		}
		if n, err := strconv.Atoi(name); err == nil && of.obj.list && n >= of.obj.count {
			of.obj.count = n + 1
		}
	case function:
		if of.fn.props == nil {
			of.fn.props = newThings()
		}
		of.fn.props.held[name] = r.unsureIn(v)
	case host:
		if of.str == "location" {
			r.setPlace(name, v, at)
		}
		r.called(name, v)
	case unknown:
		if name == "location" { // of a window, if it is one
			r.flow.branch++
			r.goes(v, at)
			r.flow.branch--
		}
		r.called(name, v)
	}
	return false
}

// called runs a function that something unknown may call, by the name under which it is held.
func (r *Runner) called(name string, v value) {
	if v.kind != function || !strings.HasPrefix(name, "on") || byHand[name[2:]] {
		return
	}
	r.perhaps(func() ending { _, _ = r.callIn(v, unknownValue, nil); return ending{} })
}

// setPlace sets a part of location.
func (r *Runner) setPlace(name string, v value, at []byte) {
	if name == "href" {
		r.goes(v, at)
		return
	}
	if name == "hash" || !slices.Contains(placeParts, name) || name == "origin" {
		return
	}
	s, known := v.text(r)
	to := unknownValue
	if known {
		whole, is := r.with(name, s)
		if !is || whole == r.href() {
			return
		}
		to = textOf(whole)
	}
	r.goes(to, at)
}

// whenLoaded has a function run once the page is parsed.
func (r *Runner) whenLoaded(f value) {
	if f.kind != function {
		return
	}
	r.later(0, 0, func() { r.call(f, value{kind: document}, nil) })
}

// runText runs a text as a script.
func (r *Runner) runText(v value, at []byte) {
	s, known := v.text(r)
	if !known || r.page.NoEval {
		r.flow.thrown = r.flow.thrown || r.page.NoEval
		return
	}
	line := r.lineOf(at)
	src := slices.Concat([]byte(s), []byte{0})[:len(s)]
	tree, err := js.Parse(parse.NewInputBytes(src), js.Options{})
	if err != nil {
		if Speaks(src) {
			r.maybe(Maybe{Line: line, After: r.after, Unread: true})
		}
		return
	}
	source, before := r.source, r.line
	r.source, r.line = src, line
	r.block(tree.List, &tree.Scope, r.global)
	r.source, r.line = source, before
}

// seconds gives how long a timer waits.
func (r *Runner) seconds(args []value) (float64, bool) {
	if len(args) < 2 {
		return 0, true
	}
	ms, known := args[1].number(r)
	if math.IsNaN(ms) || ms < 0 {
		ms = 0
	}
	return ms / 1000, known
}

// builtin calls what a browser has. done: f is such a function.
func (r *Runner) builtin(f, this value, name string, args []value, at []byte) (v value, done,
	threw bool) {
	arg := func(i int) value {
		if i < len(args) {
			return args[i]
		}
		return undefinedValue
	}
	switch {
	case f.unsure, f.kind != host:
		if this.kind == unknown && f.kind == unknown && (name == "submit" || name == "requestSubmit") &&
			len(args) == 0 {
			r.flow.branch++
			r.goes(unknownValue, at)
			r.flow.branch--
			return undefinedValue, true, false
		}
		return value{}, false, false
	}
	if f.str != "" && this.kind >= window && this.kind <= element {
		name = f.str // it may have been given another name
	}
	switch {
	case this.kind == place:
		switch name {
		case "replace", "assign":
			r.goes(arg(0), at)
		case "toString", "valueOf":
			return textOf(r.href()), true, false
		}
		return undefinedValue, true, false
	case this.kind == window:
		return r.ofWindow(name, args, at)
	case this.kind == document:
		return r.byDocument(name, args, at)
	case this.kind == element:
		return r.byElement(this, name, args, at)
	case this.kind == function:
		return r.byFunction(this, name, args)
	case this.kind == text:
		v := r.byText(this.str, name, args)
		return v, true, false
	case this.kind == number:
		if s, known := this.text(r); known && name == "toString" && len(args) == 0 {
			return textOf(s), true, false
		}
		return safeValue, true, false
	case this.kind == object && this.obj.list:
		return r.byList(this, name, args)
	case this.kind == host && (this.str == "replace" || this.str == "assign"):
		goes := func(r *Runner, _ value, args []value) value {
			r.goes(arg(1), at)
			return undefinedValue
		}
		if f.str == "bind" {
			return value{kind: function, fn: &code{native: goes}}, true, false
		}
		return goes(r, this, args), true, false
	case this.kind == host && this.str == "pattern":
		return r.byPattern(this, name, arg(0)), true, false
	case this.kind == host:
		switch f.str {
		case "String.fromCharCode":
			var b strings.Builder
			for _, a := range args {
				n, known := a.number(r)
				if !known || n < 0 || n > 0xd7ff {
					return safeValue, true, false
				}
				b.WriteRune(rune(n))
			}
			return textOf(b.String()), true, false
		case "Math.floor", "Math.round", "Math.ceil", "Math.abs", "Math.max", "Math.min":
			return r.mathOf(f.str, args), true, false
		case "history.pushState", "history.replaceState", "history.go", "history.back":
			return undefinedValue, true, false
		}
		if strings.HasPrefix(f.str, "console.") || strings.HasPrefix(f.str, "Math.") ||
			strings.HasPrefix(f.str, "Date.") || strings.HasPrefix(f.str, "JSON.") ||
			strings.HasPrefix(f.str, "Object.") || strings.HasPrefix(f.str, "Array.") {
			r.handed(args, name)
			return safeValue, true, false
		}
	}
	return value{}, false, false
}

func (r *Runner) mathOf(name string, args []value) value {
	var all []float64
	for _, a := range args {
		n, known := a.number(r)
		if !known {
			return safeValue
		}
		all = append(all, n)
	}
	if len(all) == 0 {
		return safeValue
	}
	switch name {
	case "Math.floor":
		return numberOf(math.Floor(all[0]))
	case "Math.round":
		return numberOf(math.Floor(all[0] + 0.5))
	case "Math.ceil":
		return numberOf(math.Ceil(all[0]))
	case "Math.abs":
		return numberOf(math.Abs(all[0]))
	case "Math.max":
		return numberOf(slices.Max(all))
	}
	return numberOf(slices.Min(all))
}

// ofWindow calls a function of the window.
func (r *Runner) ofWindow(name string, args []value, at []byte) (v value, done, threw bool) {
	arg := func(i int) value {
		if i < len(args) {
			return args[i]
		}
		return undefinedValue
	}
	switch name {
	case "setTimeout", "setInterval":
		after, known := r.seconds(args)
		if !known {
			r.flow.branch++
			defer func() { r.flow.branch-- }()
		}
		every := 0.0
		if name == "setInterval" {
			every = max(after, 0.01)
		}
		what := arg(0)
		rest := args[min(2, len(args)):]
		id := r.later(after, every, func() {
			if what.kind == function {
				if what.unsure {
					r.flow.branch++
					defer func() { r.flow.branch-- }()
				}
				r.call(what, value{kind: window}, append([]value{}, rest...))
			} else {
				r.runText(what, at)
			}
		})
		return numberOf(float64(id)), true, false
	case "clearTimeout", "clearInterval":
		if id, known := arg(0).number(r); known && r.flow.sure() {
			r.cleared[int(id)] = true
		} else {
			for i := range r.tasks {
				r.tasks[i].sure = false
			}
		}
		return undefinedValue, true, false
	case "requestAnimationFrame", "queueMicrotask", "requestIdleCallback", "setImmediate":
		if f := arg(0); f.kind == function {
			r.later(0, 0, func() { r.call(f, value{kind: window}, nil) })
		}
		return safeValue, true, false
	case "addEventListener":
		r.listens(arg(0), arg(1))
		return undefinedValue, true, false
	case "removeEventListener", "dispatchEvent", "postMessage", "alert", "scrollTo", "scroll",
		"scrollBy", "print", "focus", "blur", "close":
		return undefinedValue, true, false
	case "confirm", "prompt":
		return unknownValue, true, false
	case "stop":
		r.flow.thrown = r.flow.thrown || !r.flow.sure()
		return undefinedValue, true, false
	case "open":
		r.opens(arg(0), arg(1), len(args), at)
		return unknownValue, true, false
	case "eval", "execScript":
		r.runText(arg(0), at)
		return unknownValue, true, false
	case "Function":
		if len(args) > 0 {
			body := args[len(args)-1]
			return value{kind: function, fn: &code{native: func(r *Runner, _ value, _ []value) value {
				r.runText(body, at)
				return unknownValue
			}}}, true, false
		}
	case "parseInt", "parseFloat", "Number":
		if n, known := arg(0).number(r); known && !math.IsNaN(n) {
			if name == "parseInt" {
				n = math.Trunc(n)
			}
			return numberOf(n), true, false
		}
		return safeValue, true, false
	case "String":
		if s, known := arg(0).text(r); known {
			return textOf(s), true, false
		}
		return safeValue, true, false
	case "Boolean":
		if is, known := arg(0).truth(); known {
			return boolOf(is), true, false
		}
		return safeValue, true, false
	case "decodeURIComponent", "decodeURI", "unescape", "encodeURIComponent", "encodeURI", "escape",
		"atob", "btoa":
		return r.coded(name, arg(0)), true, false
	case "matchMedia", "getComputedStyle":
		return safeValue, true, false
	case "fetch":
		return value{kind: host, str: "promise"}, true, false
	}
	return value{}, false, false
}

// coded gives what a function gives that writes a text otherwise.
func (r *Runner) coded(name string, v value) value {
	s, known := v.text(r)
	if !known {
		return safeValue
	}
	switch name {
	case "decodeURIComponent", "unescape":
		if out, err := url.PathUnescape(s); err == nil && utf8.ValidString(out) &&
			!strings.Contains(s, "%u") && (name != "unescape" || isASCII(out)) {
			return textOf(out)
		}
	case "encodeURIComponent":
		out := strings.ReplaceAll(url.QueryEscape(s), "+", "%20")
		return textOf(strings.NewReplacer("%21", "!", "%27", "'", "%28", "(", "%29", ")", "%2A",
			"*").Replace(out))
	case "encodeURI":
		if !strings.ContainsAny(s, " \"<>\\^`{|}%[]") && isASCII(s) {
			return textOf(s)
		}
	case "atob":
		for _, e := range []*base64.Encoding{base64.StdEncoding, base64.RawStdEncoding} {
			if out, err := e.DecodeString(s); err == nil && isASCII(string(out)) {
				return textOf(string(out))
			}
		}
	}
	return safeValue
}

// opens opens a window: a visitor leaves only where it is the same.
func (r *Runner) opens(to, where value, count int, at []byte) {
	if count < 2 {
		return
	}
	switch s, known := where.text(r); {
	case !known:
		r.flow.branch++
		r.goes(to, at)
		r.flow.branch--
	case strings.EqualFold(s, "_self"), strings.EqualFold(s, "_top"), strings.EqualFold(s, "_parent"):
		r.goes(to, at)
	}
}

// listens has a function run when something happens.
func (r *Runner) listens(what, f value) {
	if f.kind != function {
		return
	}
	switch s, known := what.text(r); {
	case known && (s == "load" || s == "DOMContentLoaded" || s == "pageshow" ||
		s == "readystatechange"):
		if r.ready == "complete" || s == "DOMContentLoaded" && r.ready != "loading" {
			return // it is over
		}
		r.whenLoaded(f)
	case known && byHand[s]:
	default:
		r.perhaps(func() ending { _, _ = r.callIn(f, unknownValue, nil); return ending{} })
	}
}

// byDocument calls a function of the document.
func (r *Runner) byDocument(name string, args []value, at []byte) (v value, done, threw bool) {
	first := undefinedValue
	if len(args) > 0 {
		first = args[0]
	}
	s, knownText := first.text(r)
	switch name {
	case "write", "writeln":
		var b strings.Builder
		for _, a := range args {
			s, known := a.text(r)
			if !known {
				return undefinedValue, true, false
			}
			b.WriteString(s)
		}
		r.write(b.String())
		return undefinedValue, true, false
	case "addEventListener":
		if len(args) > 1 {
			r.listens(first, args[1])
		}
		return undefinedValue, true, false
	case "createElement":
		if !knownText {
			s = ""
		}
		return newElement(s), true, false
	case "createTextNode", "createDocumentFragment", "createElementNS", "createEvent", "createComment":
		return newElement("#" + name), true, false
	case "getElementById":
		if knownText && r.page.HasID != nil && r.page.HasID(s, r.loaded) {
			return newElement("?"), true, false
		}
		return unknownValue, true, false
	case "querySelector":
		id := strings.TrimPrefix(s, "#")
		if knownText && r.page.HasID != nil && strings.HasPrefix(s, "#") &&
			!strings.ContainsAny(id, " .>:[#,+~") && r.page.HasID(id, r.loaded) {
			return newElement("?"), true, false
		}
		return unknownValue, true, false
	case "getElementsByTagName", "getElementsByClassName", "getElementsByName", "querySelectorAll":
		return value{kind: host, str: "elements"}, true, false
	case "open", "close", "removeEventListener", "execCommand", "dispatchEvent", "importNode":
		return undefinedValue, true, false
	case "hasFocus":
		return safeValue, true, false
	}
	return unknownValue, true, false
}

// byElement calls a function of an element.
func (r *Runner) byElement(this value, name string, args []value, at []byte) (v value, done,
	threw bool) {
	switch name {
	case "submit", "requestSubmit":
		to := this.obj.held["action"]
		r.flow.branch++
		r.goes(to, at)
		r.flow.branch--
	case "click":
		href, is := this.obj.held["href"]
		switch target := this.obj.held["target"]; {
		case this.obj.tag == "a" && is && target.kind <= undefined && !target.safe:
			r.goes(href, at)
		case this.obj.tag == "a" && is, this.obj.tag == "?":
			r.flow.branch++
			r.goes(href, at)
			r.flow.branch--
		}
	case "setAttribute":
		if len(args) > 1 {
			if s, known := args[0].text(r); known {
				s = strings.ToLower(s)
				if s == "http-equiv" {
					s = "httpEquiv"
				}
				this.obj.held[s] = r.unsureIn(args[1])
			}
		}
	case "addEventListener":
		if len(args) > 1 {
			switch s, known := args[0].text(r); {
			case known && byHand[s]:
			case args[1].kind == function:
				r.perhaps(func() ending { _, _ = r.callIn(args[1], unknownValue, nil); return ending{} })
			}
		}
	case "appendChild", "append", "prepend", "insertBefore", "replaceChild", "replaceWith",
		"replaceChildren", "insertAdjacentElement":
		for _, a := range args {
			r.inserted(a, at)
		}
	case "remove", "focus", "blur", "removeAttribute", "removeEventListener", "scrollIntoView",
		"removeChild", "insertAdjacentHTML", "insertAdjacentText", "normalize":
	default:
		r.handed(args, name)
		return value{safe: !nullable[name]}, true, false
	}
	return undefinedValue, true, false
}

// inserted takes in an element that a script puts into the page.
func (r *Runner) inserted(e value, at []byte) {
	if e.kind != element {
		return
	}
	held := e.obj.held
	switch e.obj.tag {
	case "meta":
		how, _ := held["httpEquiv"].text(r)
		content, known := held["content"].text(r)
		if strings.EqualFold(how, "refresh") && known {
			r.write(`<meta http-equiv="refresh" content="` +
				strings.NewReplacer(`&`, "&amp;", `"`, "&quot;").Replace(content) + `">`)
		}
	case "script":
		if _, is := held["src"]; is {
			return // what it does, nobody knows
		}
		for _, name := range []string{"text", "textContent", "innerText", "innerHTML"} {
			if v, is := held[name]; is {
				r.runText(v, at)
				return
			}
		}
	}
}

// byFunction calls a function of functions.
func (r *Runner) byFunction(f value, name string, args []value) (v value, done, threw bool) {
	this := unknownValue
	if len(args) > 0 {
		this = args[0]
	}
	switch name {
	case "call":
		v, threw = r.callIn(f, this, append([]value{}, args[min(1, len(args)):]...))
		return v, true, threw
	case "apply":
		var handed []value
		if len(args) > 1 && args[1].kind == object && args[1].obj.list && !args[1].obj.open {
			handed = []value{}
			for i := range args[1].obj.count {
				item, _ := args[1].obj.get(index(i))
				handed = append(handed, item)
			}
		}
		v, threw = r.callIn(f, this, handed)
		return v, true, threw
	case "bind":
		bound := *f.fn
		if !bound.lexical && bound.native == nil {
			bound.this, bound.bound = this, true
		}
		if len(args) > 1 {
			inner := value{kind: function, fn: &bound}
			given := args[1:]
			return value{kind: function, fn: &code{native: func(r *Runner, _ value, more []value) value {
				v, threw := r.callIn(inner, unknownValue, append(append([]value{}, given...), more...))
				if threw {
					r.flow.thrown = true
				}
				return v
			}}}, true, false
		}
		return value{kind: function, fn: &bound}, true, false
	}
	return value{}, false, false
}

// madeByBrowser gives what new makes of something of the browser.
func (r *Runner) madeByBrowser(n *js.NewExpr, args []value) (value, bool) {
	of, is := plain(n.X).(*js.Var)
	if !is {
		return value{}, false
	}
	switch string(of.Name()) {
	case "Function":
		v, done, _ := r.ofWindow("Function", args, of.Data)
		return v, done
	case "Image":
		return newElement("img"), true
	case "Date", "URL", "URLSearchParams", "Map", "Set", "WeakMap", "Event", "Error":
		return value{kind: host, str: "made"}, true
	case "Promise", "MutationObserver", "IntersectionObserver":
		if len(args) > 0 && args[0].kind == function {
			if string(of.Name()) == "Promise" {
				r.call(args[0], unknownValue, nil)
			} else {
				r.handed(args, "")
			}
		}
		return value{kind: host, str: "made"}, true
	}
	return value{}, false
}

func isASCII(s string) bool {
	return !strings.ContainsFunc(s, func(c rune) bool { return c >= utf8.RuneSelf })
}
