package world

import (
	"fmt"
	"strings"

	"upperpath.example/upperpath/internal/core/web"
)

// Star is a redirect as most forms of edge networks want it: * stands for any characters, and $1,
// $2, ... in the target for what the first, second, ... star took. The first pattern that fits is
// used; stars take as little as they can, the last one the rest.
type Star struct {
	Old    string // host and path; with a scheme where it holds for that alone
	New    string // a whole URL; "" where the page is gone
	Status int
	Drops  bool // the visitor's query is not handed on
}

// Match returns what the stars took of a URL without its query, false where the pattern does not
// fit.
func (s Star) Match(u web.URL) ([]string, bool) {
	old, subject := s.Old, u.Host().String()+web.NormalPath(u.Path())
	if scheme, rest, named := strings.Cut(old, "://"); named {
		if scheme != string(u.Scheme()) {
			return nil, false
		}
		old = rest
	}
	pieces := strings.Split(old, "*")
	if !strings.HasPrefix(subject, pieces[0]) {
		return nil, false
	}
	subject = subject[len(pieces[0]):]
	if len(pieces) == 1 {
		return nil, subject == ""
	}
	var taken []string
	for i, p := range pieces[1:] {
		at := strings.Index(subject, p)
		if i == len(pieces)-2 {
			if at = len(subject) - len(p); at < 0 || subject[at:] != p {
				return nil, false
			}
		}
		if at < 0 {
			return nil, false
		}
		taken = append(taken, subject[:at])
		subject = subject[at+len(p):]
	}
	return taken, true
}

// Location gives where the pattern leads a URL, of which its stars took something.
func (s Star) Location(u web.URL, taken []string) string {
	to := s.New
	for i := len(taken); i > 0; i-- {
		to = strings.ReplaceAll(to, fmt.Sprintf("$%d", i), taken[i-1])
	}
	head, query, _ := strings.Cut(to, "?")
	if !s.Drops {
		query = web.MergeQuery(query, u.Query())
	}
	if query != "" {
		head += "?" + query
	}
	return head
}
