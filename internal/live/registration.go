package live

import (
	"encoding/json"
	"fmt"
	"os"
	"slices"
	"strings"
	"time"

	"upperpath.example/upperpath/internal/core/survey"
)

// Registry says where registrations are asked for (RDAP): a base address, or a bootstrap file (RFC 9224) that names one
// for each ending. The zero value asks nobody.
type Registry struct {
	Base     string
	services map[string]string
}

// ReadBootstrap reads an RFC 9224 bootstrap file. An error says what is wrong with it.
func ReadBootstrap(path string) (Registry, error) {
	data, err := os.ReadFile(path)
	if err != nil {
		return Registry{}, fmt.Errorf("reading the bootstrap file: %w", err)
	}
	var file struct {
		Services [][][]string `json:"services"`
	}
	if err := json.Unmarshal(data, &file); err != nil {
		return Registry{}, fmt.Errorf("%s: %w; expected a bootstrap file of RFC 9224 with \"services\"", path, err)
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

// base returns the base address for a domain: of the longest ending that the registry knows (RFC 9224 section 5.1).
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

func readRegistration(from string, body []byte) (*survey.Registration, error) {
	var answer struct {
		Status []string `json:"status"`
		Events []struct {
			Action string    `json:"eventAction"`
			Date   time.Time `json:"eventDate"`
		} `json:"events"`
		NameServers []struct {
			Name string `json:"ldhName"`
		} `json:"nameservers"`
		Entities []struct {
			Roles []string          `json:"roles"`
			Card  []json.RawMessage `json:"vcardArray"`
		} `json:"entities"`
	}
	if err := json.Unmarshal(body, &answer); err != nil {
		return nil, fmt.Errorf("what %s sends is no registration: %w", from, err)
	}
	r := &survey.Registration{From: from, Status: answer.Status}
	for _, e := range answer.Events {
		if e.Action == "expiration" {
			r.Ends = &e.Date
		}
	}
	for _, n := range answer.NameServers {
		r.NameServers = append(r.NameServers, strings.ToLower(strings.TrimSuffix(n.Name, ".")))
	}
	for _, e := range answer.Entities {
		if slices.Contains(e.Roles, "registrar") && len(e.Card) == 2 {
			r.Registrar = cardName(e.Card[1])
		}
	}
	return r, nil
}

// cardName gives the name in a jCard (RFC 7095).
func cardName(raw json.RawMessage) string {
	var fields [][]any
	if json.Unmarshal(raw, &fields) != nil {
		return ""
	}
	for _, f := range fields {
		if len(f) == 4 && f[0] == "fn" {
			if name, ok := f[3].(string); ok {
				return name
			}
		}
	}
	return ""
}
