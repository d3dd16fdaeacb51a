package script

import (
	"regexp"
	"slices"
	"strings"
	"unicode/utf16"
)

func utf16Of(s string) []uint16 { return utf16.Encode([]rune(s)) }
func of16(u []uint16) string    { return string(utf16.Decode(u)) }
func patternOf(s string) value  { return value{kind: host, str: "pattern", obj: &things{tag: s}} }

// compiled gives a regular expression, where both worlds read it alike.
func compiled(v value) (re *regexp.Regexp, global, ok bool) {
	s := v.obj.tag
	end := strings.LastIndexByte(s, '/')
	if end < 1 || len(s) > 2048 {
		return nil, false, false
	}
	body, flags := s[1:end], s[end+1:]
	if strings.Trim(flags, "gim") != "" || strings.Contains(body, "(?") ||
		strings.Contains(body, `\p`) || strings.Contains(body, `\c`) || strings.Contains(body, `\k`) ||
		strings.Contains(body, "[^]") || strings.Contains(body, "[]") || strings.Contains(body, `\Z`) ||
		strings.Contains(body, `\A`) || strings.Contains(body, `\z`) || strings.Contains(body, `\Q`) ||
		strings.Contains(body, "[:") {
		return nil, false, false
	}
	body = strings.ReplaceAll(body, `\/`, `/`)
	if inner := strings.ReplaceAll(flags, "g", ""); inner != "" {
		body = "(?" + inner + ")" + body
	}
	re, err := regexp.Compile(body)
	return re, strings.Contains(flags, "g"), err == nil
}

// byPattern calls a function of a regular expression.
func (r *Runner) byPattern(this value, name string, with value) value {
	s, known := with.text(r)
	re, global, ok := compiled(this)
	if !known || !ok || global {
		if name == "exec" {
			return unknownValue
		}
		return safeValue
	}
	switch name {
	case "test":
		return boolOf(re.MatchString(s))
	case "exec":
		return groups(re.FindStringSubmatch(s))
	}
	return safeValue
}

// groups gives what a match found.
func groups(m []string) value {
	if m == nil {
		return nullValue
	}
	made := newThings()
	made.list, made.count = true, len(m)
	for i, s := range m {
		made.held[index(i)] = textOf(s)
	}
	return value{kind: object, obj: made}
}

// byText calls a function of a text.
func (r *Runner) byText(s, name string, args []value) value {
	texts := make([]string, len(args))
	numbers := make([]float64, len(args))
	for i, a := range args {
		t, kt := a.text(r)
		n, kn := a.number(r)
		pattern := a.kind == host && a.str == "pattern"
		if !kt && !kn && !pattern {
			if nullable[name] {
				return unknownValue
			}
			return safeValue
		}
		texts[i], numbers[i] = t, n
	}
	isPattern := len(args) > 0 && args[0].kind == host
	u := utf16Of(s)
	at := func(i, otherwise int) int {
		if i >= len(numbers) || args[i].kind == undefined {
			return otherwise
		}
		return int(max(-1<<30, min(1<<30, numbers[i])))
	}
	switch {
	case name == "toLowerCase" || name == "toLocaleLowerCase":
		return textOf(strings.ToLower(s))
	case name == "toUpperCase" || name == "toLocaleUpperCase":
		return textOf(strings.ToUpper(s))
	case name == "trim":
		return textOf(strings.TrimSpace(s))
	case name == "toString" || name == "valueOf":
		return textOf(s)
	case name == "concat":
		return textOf(s + strings.Join(texts, ""))
	case name == "charAt":
		if n := at(0, 0); n >= 0 && n < len(u) {
			return textOf(of16(u[n : n+1]))
		}
		return textOf("")
	case name == "charCodeAt":
		if n := at(0, 0); n >= 0 && n < len(u) {
			return numberOf(float64(u[n]))
		}
	case name == "substring":
		a, b := clamp(at(0, 0), len(u)), clamp(at(1, len(u)), len(u))
		return textOf(of16(u[min(a, b):max(a, b)]))
	case name == "slice":
		a, b := fromEnd(at(0, 0), len(u)), fromEnd(at(1, len(u)), len(u))
		return textOf(of16(u[a:max(a, b)]))
	case name == "substr":
		a := fromEnd(at(0, 0), len(u))
		return textOf(of16(u[a:clamp(a+max(0, at(1, len(u))), len(u))]))
	case len(args) == 0:
	case isPattern:
		return r.withPattern(s, name, args, texts)
	case name == "indexOf":
		return numberOf(float64(strings.Index(s, texts[0])))
	case name == "lastIndexOf":
		return numberOf(float64(strings.LastIndex(s, texts[0])))
	case name == "includes":
		return boolOf(strings.Contains(s, texts[0]))
	case name == "startsWith" && len(args) == 1:
		return boolOf(strings.HasPrefix(s, texts[0]))
	case name == "endsWith" && len(args) == 1:
		return boolOf(strings.HasSuffix(s, texts[0]))
	case name == "replace" && len(args) > 1 && args[1].kind == text &&
		!strings.Contains(texts[1], "$"):
		return textOf(strings.Replace(s, texts[0], texts[1], 1))
	case name == "replaceAll" && len(args) > 1 && args[1].kind == text &&
		!strings.Contains(texts[1], "$"):
		if len(s)*max(1, len(texts[1])) < 64*mostText {
			return textOf(strings.ReplaceAll(s, texts[0], texts[1]))
		}
	case name == "split" && len(args) == 1:
		return listOf(strings.Split(s, texts[0]))
	case name == "repeat":
		if n := at(0, 0); n >= 0 && n*len(s) <= mostText {
			return textOf(strings.Repeat(s, n))
		}
	}
	if nullable[name] {
		return unknownValue
	}
	return safeValue
}

// withPattern calls a function of a text that takes a regular expression.
func (r *Runner) withPattern(s, name string, args []value, texts []string) value {
	re, global, ok := compiled(args[0])
	if !ok {
		if nullable[name] {
			return unknownValue
		}
		return safeValue
	}
	switch {
	case name == "match" && !global:
		return groups(re.FindStringSubmatch(s))
	case name == "search":
		if at := re.FindStringIndex(s); at == nil {
			return numberOf(-1)
		}
	case name == "match":
		if !re.MatchString(s) {
			return nullValue
		}
	case name == "replace" && len(args) > 1 && args[1].kind == text &&
		!strings.Contains(texts[1], "$"):
		if global {
			return textOf(re.ReplaceAllLiteralString(s, texts[1]))
		}
		at := re.FindStringIndex(s)
		if at == nil {
			return textOf(s)
		}
		return textOf(s[:at[0]] + texts[1] + s[at[1]:])
	case name == "split" && !global:
		return safeValue
	}
	return safeValue
}

func listOf(all []string) value {
	made := newThings()
	made.list = true
	if len(all) > 1000 {
		made.open = true
		return value{kind: object, obj: made}
	}
	for i, s := range all {
		made.held[index(i)] = textOf(s)
	}
	made.count = len(all)
	return value{kind: object, obj: made}
}

func clamp(n, most int) int { return max(0, min(n, most)) }

func fromEnd(n, most int) int {
	if n < 0 {
		n += most
	}
	return clamp(n, most)
}

// joined gives the items of a list as one text.
func (r *Runner) joined(t *things, by string) (string, bool) {
	all := make([]string, 0, t.count)
	size := 0
	for i := range min(t.count, 1000) {
		item, is := t.held[index(i)]
		s, known := "", true
		if nothing, sure := item.nothing(); is && !(nothing && sure) {
			s, known = item.text(r)
		}
		if size += len(s); !known || size > mostText || item.kind == object {
			return "", false
		}
		all = append(all, s)
	}
	return strings.Join(all, by), t.count <= 1000
}

// indexIn gives where a list holds a value, -1 where it does not, and whether that is known.
func (r *Runner) indexIn(list *things, v value) (at int, known bool) {
	for i := range list.count {
		is, known := list.held[index(i)].same(v, false, r)
		if is || !known {
			return i, known
		}
	}
	return -1, true
}

// byList calls a function of a list.
func (r *Runner) byList(this value, name string, args []value) (v value, done, threw bool) {
	list := this.obj
	plainly := !list.open && !this.unsure && r.flow.sure()
	switch name {
	case "join":
		by, known := ",", true
		if len(args) > 0 {
			by, known = args[0].text(r)
		}
		if s, all := r.joined(list, by); all && known && !list.open {
			return textOf(s), true, false
		}
		return safeValue, true, false
	case "push":
		if !plainly || list.count+len(args) > 10_000 {
			list.open = true
		}
		for _, a := range args {
			list.held[index(list.count)] = a
			list.count++
		}
		return safeValue, true, false
	case "reverse":
		if plainly {
			all := make([]value, list.count)
			for i := range all {
				all[i] = list.held[index(i)]
			}
			slices.Reverse(all)
			for i, item := range all {
				list.held[index(i)] = item
			}
		} else {
			list.open = true
		}
		return this, true, false
	case "indexOf", "includes":
		at, known := -1, false
		if len(args) > 0 && !list.open {
			at, known = r.indexIn(list, args[0])
		}
		switch {
		case !known:
			return safeValue, true, false
		case name == "includes":
			return boolOf(at >= 0), true, false
		}
		return numberOf(float64(at)), true, false
	case "forEach":
		if len(args) > 0 && args[0].kind == function && plainly {
			for i := range list.count {
				if _, threw := r.callIn(args[0], undefinedValue,
					[]value{list.held[index(i)], numberOf(float64(i))}); threw {
					return undefinedValue, true, true
				}
			}
			return undefinedValue, true, false
		}
	case "concat", "map", "filter", "slice":
		r.handed(args, name)
		made := newThings()
		made.list, made.open = true, true
		return value{kind: object, obj: made}, true, false
	case "pop", "shift", "splice", "unshift", "sort":
		list.open = true
		clear(list.held)
		r.handed(args, name)
		return unknownValue, true, false
	}
	r.handed(args, name)
	return value{safe: !nullable[name]}, true, false
}
