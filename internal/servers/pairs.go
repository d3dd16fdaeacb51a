package servers

import (
	"fmt"
	"strings"
)

// ReadPairs makes rules of two columns of a table: old addresses and new ones, whole URLs or paths of a host, with
// stars for any characters and $1, $2 for what they took.
func ReadPairs(lines []int, pairs [][2]string, host string, status int) Import {
	var m Import
	for i, p := range pairs {
		old, to := strings.TrimSpace(p[0]), strings.TrimSpace(p[1])
		text := old + "," + to
		switch {
		case old == "":
			m.leave(lines[i], text, "it has no old address")
			continue
		case strings.HasPrefix(old, "/") && host == "":
			m.leave(lines[i], text, "its old address names no host; say which with --host")
			continue
		case strings.HasPrefix(old, "/"):
			old = host + old
		}
		old, _, _ = strings.Cut(old, "#")
		groups := map[string]string{}
		old, why := starred(braces.Replace(old), groups)
		if why != "" {
			m.leave(lines[i], text, "%s", why)
			continue
		}
		if to != "" {
			var err error
			if to, err = target(strings.ReplaceAll(to, "*", "%2A"), groups, '$'); err != nil {
				m.leave(lines[i], text, "%s", err)
				continue
			}
			if !strings.Contains(to, "://") && !strings.HasPrefix(to, "/") {
				to = "https://" + to
			}
		}
		s := status
		if to == "" {
			s = 410
		}
		m.add(lines[i], text, old, to, s, false, "", "")
	}
	return m
}

// starred writes a pattern with stars as one of the rule language, and says why it cannot be where that is so.
func starred(s string, groups map[string]string) (string, string) {
	pieces := strings.Split(s, "*")
	if strings.Contains(pieces[0], "://") && !strings.Contains(strings.SplitN(pieces[0], "://", 2)[1], "/") &&
		len(pieces) > 1 ||
		len(pieces) > 1 && !strings.Contains(pieces[0], "/") {
		return "", "a star stands in its host; write a line for each host"
	}
	var b strings.Builder
	b.WriteString(pieces[0])
	for i, piece := range pieces[1:] {
		name := "s" + string(rune('1'+i))
		if i == len(pieces)-2 && piece == "" {
			groups[fmt.Sprint(i+1)] = "{+" + name + "}"
		} else {
			return "", "a star before the end takes slashes, and {name} does not; write {name} for it where it stands for " +
				"one segment"
		}
		b.WriteString(groups[fmt.Sprint(i+1)] + piece)
	}
	return b.String(), ""
}
