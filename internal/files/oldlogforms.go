package files

import (
	"bufio"
	"bytes"
	"encoding/json"
	"strconv"
	"strings"

	"upperpath.example/upperpath/internal/core/old"
)

// isExtended reports whether a text begins as an extended log does (W3C WD-logfile-960323), which
// names its fields, such as that of IIS.
func isExtended(head []byte) bool {
	for line := range bytes.Lines(head) {
		switch {
		case bytes.HasPrefix(line, []byte("#Fields:")):
			return bytes.Contains(line, []byte("cs-uri"))
		case len(line) > 0 && line[0] != '#':
			return false
		}
	}
	return false
}

// extended reads an extended log. The names of fields may change on the way.
func (o *OldURLs) extended(name, path string, r *bufio.Reader) error {
	s := o.To.Begin(name)
	fields := map[string]int{}
	var buffer, target []byte
	return o.lines(path, r, func(line []byte, long bool) {
		if names, is := bytes.CutPrefix(line, []byte("#Fields:")); is {
			clear(fields)
			for i, n := range strings.Fields(strings.ToLower(string(names))) {
				fields[n] = i
			}
			return
		}
		if line[0] == '#' {
			return
		}
		words := bytes.Split(line, []byte(" "))
		at := func(names ...string) []byte {
			for _, n := range names {
				if i, known := fields[n]; known && i < len(words) && string(words[i]) != "-" {
					return words[i]
				}
			}
			return nil
		}
		target = append(target[:0], at("cs-uri-stem", "cs-uri")...)
		status, err := strconv.Atoi(string(at("sc-status")))
		switch {
		case long:
			s.Leave(old.TooLong, string(line))
			return
		case len(target) == 0 || target[0] != '/' && !bytes.Contains(target, []byte("://")) ||
			err != nil && at("sc-status") != nil:
			s.Leave(old.Unreadable, string(line))
			return
		}
		if query := at("cs-uri-query"); query != nil {
			target = append(append(target, '?'), query...)
		}
		target = bytes.ReplaceAll(target, []byte("+"), []byte("%20")) // how it writes a space
		host := at("cs-host", "cs(host)")
		if i := bytes.LastIndexByte(host, ':'); i > 0 {
			host = host[:i]
		}
		buffer = o.addressed(buffer, host, target)
		o.To.Add(s, old.Seen{URL: buffer, Weight: 1, Method: at("cs-method"), Status: status,
			Agent:    bytes.ReplaceAll(at("cs(user-agent)"), []byte("+"), []byte(" ")),
			Referrer: at("cs(referer)")})
	})
}

// addressed gives the URL of a request line's target at a host; without one that of the source.
func (o *OldURLs) addressed(buffer, host, target []byte) []byte {
	switch {
	case target[0] != '/':
		return append(buffer[:0], target...)
	case len(host) > 0:
		return append(append(append(buffer[:0], "http://"...), host...), target...)
	}
	return o.whole(buffer, target)
}

// The names under which logs in JSON keep what is read of a request.
var (
	jsonTargets = []string{"url", "request_uri", "uri", "request.uri", "request.url", "http.url",
		"path", "request_path", "cs-uri-stem", "request"}
	jsonHosts = []string{"host", "http_host", "request.host", "vhost", "server_name", "domain",
		"virtual_host", "cs-host"}
	jsonMethods  = []string{"method", "request_method", "request.method", "verb", "http.method"}
	jsonStatuses = []string{"status", "status_code", "response.status", "sc-status", "http.status"}
	jsonAgents   = []string{"user_agent", "http_user_agent", "agent", "useragent",
		"request.headers.user-agent", "request.user_agent"}
	jsonReferrers = []string{"referrer", "referer", "http_referer", "request.headers.referer",
		"request.referer"}
	jsonQueries = []string{"query_string", "args", "query"}
)

// isJSONLog reports whether a text begins with a line that is an object which names a request.
func isJSONLog(head []byte) bool {
	line, _, _ := bytes.Cut(head, []byte("\n"))
	if len(line) == 0 || line[0] != '{' {
		return false
	}
	said, ok := flat(line)
	if !ok {
		return false
	}
	for _, n := range jsonTargets {
		if said[n] != "" {
			return true
		}
	}
	return false
}

// flat gives the texts and numbers of an object, by the names that lead to them.
func flat(line []byte) (map[string]string, bool) {
	var object map[string]any
	d := json.NewDecoder(bytes.NewReader(line))
	d.UseNumber()
	if d.Decode(&object) != nil {
		return nil, false
	}
	all := map[string]string{}
	var walk func(prefix string, value any, depth int)
	walk = func(prefix string, value any, depth int) {
		switch v := value.(type) {
		case string:
			all[prefix] = v
		case json.Number:
			all[prefix] = v.String()
		case []any:
			if len(v) > 0 {
				walk(prefix, v[0], depth+1)
			}
		case map[string]any:
			for name, inner := range v {
				if name = strings.ToLower(name); prefix != "" {
					name = prefix + "." + name
				}
				if depth < 4 && len(all) < 400 {
					walk(name, inner, depth+1)
				}
			}
		}
	}
	walk("", object, 0)
	return all, true
}

// jsonLog reads a log whose lines are objects.
func (o *OldURLs) jsonLog(name, path string, r *bufio.Reader) error {
	s := o.To.Begin(name)
	var buffer []byte
	return o.lines(path, r, func(line []byte, long bool) {
		if long {
			s.Leave(old.TooLong, string(line))
			return
		}
		said, ok := flat(line)
		first := func(names []string) string {
			for _, n := range names {
				if v := said[n]; v != "" && v != "-" {
					return v
				}
			}
			return ""
		}
		target, method := first(jsonTargets), first(jsonMethods)
		if words := strings.Fields(target); len(words) > 1 && strings.HasPrefix(words[1], "/") {
			method, target = words[0], words[1] // a whole request line
		}
		status, err := strconv.Atoi(first(jsonStatuses))
		if !ok || target == "" || target[0] != '/' && !strings.Contains(target, "://") ||
			err != nil && first(jsonStatuses) != "" {
			s.Leave(old.Unreadable, string(line))
			return
		}
		if query := first(jsonQueries); query != "" && !strings.Contains(target, "?") {
			target += "?" + strings.TrimPrefix(query, "?")
		}
		host := first(jsonHosts)
		if i := strings.LastIndexByte(host, ':'); i > 0 {
			host = host[:i]
		}
		buffer = o.addressed(buffer, []byte(host), []byte(target))
		o.To.Add(s, old.Seen{URL: buffer, Weight: 1, Method: []byte(method), Status: status,
			Agent: []byte(first(jsonAgents)), Referrer: []byte(first(jsonReferrers))})
	})
}
