package old

import (
	"strconv"
	"strings"
	"time"
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

// Bounds of a robots.txt, above what RFC 9309 section 2.5 asks parsers to read.
const (
	MostRobots      = 500 << 10
	mostRobotsRules = 5000
	mostDelay       = 30 * time.Second
)

// ParseRobots reads a robots.txt for a robot of a name: the groups that name it, or else those for everybody.
func ParseRobots(text, name string) *Robots {
	own, all := &Robots{}, &Robots{}
	named, group, begun := false, []*Robots(nil), true
	for line := range strings.Lines(strings.TrimPrefix(text, "\ufeff")) {
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
			case strings.EqualFold(value, name):
				group, named = append(group, own), true
			}
		case "allow", "disallow":
			begun = false
			for _, r := range group {
				if value != "" && len(r.rules) < mostRobotsRules {
					r.rules = append(r.rules, robotsRule{value, key == "allow"})
				}
			}
		case "crawl-delay":
			begun = false
			if n, err := strconv.ParseFloat(value, 64); err == nil && n > 0 {
				for _, r := range group {
					r.Delay = min(mostDelay, time.Duration(n*float64(time.Second)))
				}
			}
		}
	}
	if named {
		return own
	}
	return all
}

// Barred is a robots.txt that lets nothing be asked for, as one counts that could not be had (RFC 9309 section
// 2.3.1.4).
func Barred() *Robots { return &Robots{rules: []robotsRule{{"/", false}}} }

// Allows tells whether a path with its query may be asked for: the longest rule that fits decides, and of two of one
// length the one that allows.
func (r *Robots) Allows(uri string) bool {
	best, allows := -1, true
	for _, rule := range r.rules {
		if n := len(rule.path); fits(rule.path, uri) && (n > best || n == best && rule.allow) {
			best, allows = n, rule.allow
		}
	}
	return allows
}

// fits tells whether a path begins as a rule says, whose stars stand for anything and whose last $ for the end.
func fits(rule, uri string) bool {
	rule, whole := strings.CutSuffix(rule, "$")
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
