package old

import (
	"strconv"
	"strings"
	"time"

	"upperpath.example/upperpath/internal/core/web"
)

// Robots is what a robots.txt lets a crawl ask for (RFC 9309).
type Robots struct {
	rules []robotsRule
	Delay time.Duration // that it asks for between questions; 0: none
}

type robotsRule struct {
	path  string
	allow bool
}

// MostRobots is how much of a robots.txt is read, in octets (RFC 9309 section 2.5); what comes
// behind does not count.
const MostRobots = 500 << 10

// mostDelay is the longest pause that a robots.txt gets.
const mostDelay = 30 * time.Second

// ParseRobots reads a robots.txt for a robot of a name: the groups that name it, or else those for
// everybody.
func ParseRobots(text, name string) *Robots {
	own, all := &Robots{}, &Robots{}
	named, group, begun := false, []*Robots(nil), true
	text = text[:min(len(text), MostRobots)]
	for line := range strings.FieldsFuncSeq(strings.TrimPrefix(text, "\ufeff"), isLineEnd) {
		line, _, _ = strings.Cut(line, "#")
		key, value, ok := strings.Cut(strings.TrimSpace(line), ":")
		if !ok {
			continue
		}
		key, value = strings.ToLower(strings.TrimSpace(key)), strings.TrimSpace(value)
		switch key {
		case "user-agent":
			if !begun {
				group, begun = nil, true
			}
			switch {
			case value == "*":
				group = append(group, all)
			case strings.EqualFold(productToken(value), name):
				group, named = append(group, own), true
			}
		case "allow", "disallow":
			begun = false
			for _, r := range group {
				if value != "" {
					r.rules = append(r.rules, robotsRule{robotsForm(value), key == "allow"})
				}
			}
		case "crawl-delay":
			begun = false
			if n, err := strconv.ParseFloat(value, 64); err == nil && n > 0 {
				for _, r := range group {
					r.Delay = time.Duration(min(n, mostDelay.Seconds()) * float64(time.Second))
				}
			}
		}
	}
	if named {
		return own
	}
	return all
}

// isLineEnd reports whether a character ends a line (RFC 9309 section 2.2).
func isLineEnd(r rune) bool { return r == '\n' || r == '\r' }

// productToken gives what a line names a robot by: letters, "_" and "-", whatever version comes
// behind (RFC 9309 section 2.2.1).
func productToken(value string) string {
	end := strings.IndexFunc(value, func(r rune) bool {
		return (r|0x20 < 'a' || r|0x20 > 'z') && r != '_' && r != '-'
	})
	if end < 0 {
		return value
	}
	return value[:end]
}

// robotsForm gives a path with its query as both sides are compared: percent-encoded where it is
// not ASCII, unreserved octets decoded (RFC 9309 section 2.2.2).
func robotsForm(uri string) string {
	path, query, asks := strings.Cut(uri, "?")
	if path = web.NormalPath(path); asks {
		path += "?" + web.NormalQuery(query)
	}
	return path
}

// Barred is a robots.txt that lets nothing be asked for, as one counts that could not be had (RFC
// 9309 section 2.3.1.4).
func Barred() *Robots { return &Robots{rules: []robotsRule{{"/", false}}} }

// Allows reports whether a path with its query may be asked for: the longest rule that fits
// decides, and of two of one length the one that allows.
func (r *Robots) Allows(uri string) bool {
	best, allows := -1, true
	uri = robotsForm(uri)
	// What a rule means literally it writes percent-encoded.
	uri = strings.NewReplacer("*", "%2A", "$", "%24").Replace(uri)
	for _, rule := range r.rules {
		if n := len(rule.path); fits(rule.path, uri) && (n > best || n == best && rule.allow) {
			best, allows = n, rule.allow
		}
	}
	return allows
}

// fits reports whether a path begins as a rule says, whose stars stand for anything and whose last
// $ for the end.
func fits(rule, uri string) bool {
	rule, whole := strings.CutSuffix(rule, "$")
	rule = strings.ReplaceAll(rule, "$", "%24") // only the last one means the end
	pieces := strings.Split(rule, "*")
	if !strings.HasPrefix(uri, pieces[0]) {
		return false
	}
	uri = uri[len(pieces[0]):]
	for i, piece := range pieces[1:] {
		if whole && i == len(pieces)-2 {
			return strings.HasSuffix(uri, piece)
		}
		at := strings.Index(uri, piece)
		if at < 0 {
			return false
		}
		uri = uri[at+len(piece):]
	}
	return !whole || uri == ""
}
