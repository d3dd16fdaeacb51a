package live

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"slices"
	"strings"
	"time"

	"upperpath.example/upperpath/internal/core/survey"
	"upperpath.example/upperpath/internal/core/web"
)

// Registry says where registrations are asked for (RDAP): a base address, or a bootstrap file (RFC
// 9224) that names one for each ending. The zero value asks nobody.
type Registry struct {
	Base     string
	services map[string]string
}

// ReadBootstrap reads an RFC 9224 bootstrap file. An error says what is wrong with it.
func ReadBootstrap(path string) (Registry, error) {
	data, err := readFile(path)
	if err != nil {
		return Registry{}, fmt.Errorf("reading the bootstrap file: %w", err)
	}
	var file struct {
		Services [][][]string `json:"services"`
	}
	if err := json.Unmarshal(data, &file); err != nil {
		return Registry{},
			fmt.Errorf("%s: %w; expected a bootstrap file of RFC 9224 with \"services\"", path, err)
	}
	r := Registry{services: map[string]string{}}
	for _, s := range file.Services {
		if len(s) != 2 || len(s[1]) == 0 {
			continue
		}
		for _, ending := range s[0] {
			r.services[strings.ToLower(ending)] = preferHTTPS(s[1])
		}
	}
	return r, nil
}

func preferHTTPS(bases []string) string {
	for _, b := range bases {
		if strings.HasPrefix(b, "https://") {
			return b
		}
	}
	return bases[0]
}

// base returns the base address for a domain: of the longest ending that the registry knows (RFC
// 9224 section 5.1).
func (r Registry) base(domain string) string {
	for ending := domain; ; {
		if b := r.services[ending]; b != "" {
			return b
		}
		_, rest, more := strings.Cut(ending, ".")
		if !more {
			return r.Base
		}
		ending = rest
	}
}

// mostRegistration is how many octets an answer of a registry may have.
const mostRegistration = 1 << 20

// readRegistration reads an answer (RFC 9083 section 5.3). Each part is read by itself: one that is
// not as it should be takes no other with it, and is named in Unread.
func readRegistration(from string, body []byte) (*survey.Registration, error) {
	var answer map[string]json.RawMessage
	if err := json.Unmarshal(body, &answer); err != nil || answer == nil {
		return nil, fmt.Errorf("what %s sends is not a registration: it is not a JSON object", from)
	}
	r := &survey.Registration{From: from}
	read := func(part string, to any, take func() bool) {
		raw, there := answer[part]
		if !there || string(raw) == "null" {
			return
		}
		if json.Unmarshal(raw, to) != nil || !take() {
			r.Unread = append(r.Unread, part)
		}
	}
	var status, events, servers, entities []json.RawMessage
	read("status", &status, func() bool { return readStatus(status, r) })
	read("events", &events, func() bool { return readEvents(events, r) })
	read("nameservers", &servers, func() bool { return readServers(servers, r) })
	read("entities", &entities, func() bool { return readEntities(entities, r) })
	return r, nil
}

// each reads every element of a list into a value of its own; false where one could not be read.
func each[T any](list []json.RawMessage, take func(T) bool) bool {
	whole := true
	for _, raw := range list {
		var one T
		whole = json.Unmarshal(raw, &one) == nil && take(one) && whole
	}
	return whole
}

func readStatus(list []json.RawMessage, r *survey.Registration) bool {
	return each(list, func(s string) bool {
		r.Status = append(r.Status, s)
		return true
	})
}

func readEvents(list []json.RawMessage, r *survey.Registration) bool {
	type event struct {
		Action json.RawMessage `json:"eventAction"`
		Date   json.RawMessage `json:"eventDate"`
	}
	return each(list, func(e event) bool {
		var action, date string
		if json.Unmarshal(e.Action, &action) != nil {
			return false
		}
		if !strings.EqualFold(strings.TrimSpace(action), "expiration") {
			return true
		}
		if json.Unmarshal(e.Date, &date) != nil {
			return false
		}
		at, ok := readTime(date)
		if ok {
			r.Ends = &at
		}
		return ok
	})
}

// readTime reads a time of RFC 3339, and what registries send instead: without a zone, which counts
// as UTC, or a day alone.
func readTime(s string) (time.Time, bool) {
	s = strings.TrimSpace(s)
	for _, form := range []string{
		time.RFC3339, "2006-01-02T15:04:05", "2006-01-02T15:04", "2006-01-02 15:04:05Z07:00",
		"2006-01-02 15:04:05",
		"2006-01-02T15:04:05Z0700", time.DateOnly,
	} {
		if at, err := time.Parse(form, s); err == nil {
			return at.UTC(), true
		}
	}
	return time.Time{}, false
}

func readServers(list []json.RawMessage, r *survey.Registration) bool {
	type server struct {
		Name string `json:"ldhName"`
	}
	return each(list, func(s server) bool {
		if s.Name == "" {
			return false
		}
		r.NameServers = append(r.NameServers, plain(s.Name))
		return true
	})
}

func readEntities(list []json.RawMessage, r *survey.Registration) bool {
	type entity struct {
		Roles json.RawMessage   `json:"roles"`
		Card  []json.RawMessage `json:"vcardArray"`
	}
	return each(list, func(e entity) bool {
		var roles []string
		if e.Roles != nil && json.Unmarshal(e.Roles, &roles) != nil {
			return false
		}
		if slices.Contains(roles, "registrar") && len(e.Card) == 2 {
			r.Registrar = cardName(e.Card[1])
		}
		return true
	})
}

// cardName gives the name in a jCard (RFC 7095), "" where it cannot be read.
func cardName(raw json.RawMessage) string {
	var fields []json.RawMessage
	if json.Unmarshal(raw, &fields) != nil {
		return ""
	}
	for _, f := range fields {
		var parts []any
		if json.Unmarshal(f, &parts) != nil || len(parts) != 4 || parts[0] != "fn" {
			continue
		}
		if name, ok := parts[3].(string); ok {
			return name
		}
	}
	return ""
}

// registration asks for a domain's registration (RFC 9082 section 3.1.3, RFC 9083 section 5.3).
func (w *Client) registration(ctx context.Context, r Registry, domain string) (*survey.Registration,
	error) {
	base := r.base(domain)
	if base == "" {
		return nil,
			errors.New("no registry is known that could be asked (registry: in the estate file)")
	}
	u, err := web.ParseURL(strings.TrimSuffix(base, "/") + "/domain/" + domain)
	if err != nil {
		return nil, err
	}
	status, body, err := w.fetch(ctx, u, "application/rdap+json", mostRegistration)
	if err != nil {
		return nil, err
	}
	if status != http.StatusOK {
		return nil, fmt.Errorf("%s answers %d", u.Door(), status)
	}
	return readRegistration(u.Door().String(), body)
}
