// Carries records to the small provider of the demo, as docs/carrying.md asks of a program. Copy it
// and put your provider's interface in place of this one's.
//
//	run: [go, run, provider/main.go]
//	env: [PROVIDER_TOKEN, http_proxy]
package main

import (
	"bufio"
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"os"
	"slices"
	"strings"
)

const provider = "http://api.registrar-b.example/zones/"

type values struct {
	TTL    int      `json:"ttl"`
	Values []string `json:"values"`
}

type question struct {
	ID      int    `json:"id"`
	Ask     string `json:"ask"`
	Zone    string `json:"zone"`
	Changes []struct {
		Name   string  `json:"name"`
		Type   string  `json:"type"`
		Before *values `json:"before"`
		After  *values `json:"after"`
	} `json:"changes"`
}

// zone is a zone as the provider has it.
type zone struct {
	Zone    string `json:"zone"`
	Version string `json:"version"`
	Sets    []set  `json:"sets"`
}

type set struct {
	Name   string   `json:"name"`
	Type   string   `json:"type"`
	TTL    int      `json:"ttl"`
	Values []string `json:"values"`
}

// errChanged says that the zone is not as it has to be before.
var errChanged = errors.New("the zone has changed since")

func main() {
	lines := bufio.NewScanner(os.Stdin)
	lines.Buffer(nil, 16<<20)
	for lines.Scan() {
		var q question
		if err := json.Unmarshal(lines.Bytes(), &q); err != nil {
			fmt.Fprintln(os.Stderr, "this is no question:", err)
			os.Exit(1)
		}
		answer := map[string]any{"id": q.ID}
		switch q.Ask {
		case "hello":
			answer["is"], answer["carrying"], answer["name"] = "hello", 1, "the demo's provider"
		case "read":
			z, err := read(q.Zone)
			if err != nil {
				answer["is"], answer["says"] = "failed", err.Error()
				break
			}
			answer["is"], answer["zone"], answer["sets"] = "zone", q.Zone, z.Sets
		case "change":
			switch err := change(q); {
			case errors.Is(err, errChanged):
				answer["is"], answer["says"], answer["changed"] = "refused", err.Error(), true
			case err != nil:
				answer["is"], answer["says"] = "failed", err.Error()
			default:
				answer["is"] = "changed"
			}
		default:
			answer["is"], answer["says"] = "failed", "this program does not know "+q.Ask
		}
		if err := json.NewEncoder(os.Stdout).Encode(answer); err != nil {
			os.Exit(1)
		}
	}
}

// read fetches a zone.
func read(name string) (zone, error) { return ask(http.MethodGet, name, nil) }

// change changes a zone, if it is as it has to be before: the provider minds the version, so that
// nothing comes in between.
func change(q question) error {
	z, err := read(q.Zone)
	if err != nil {
		return err
	}
	var sets []set
	for _, c := range q.Changes {
		at := slices.IndexFunc(z.Sets, func(s set) bool { return s.Name == c.Name && s.Type == c.Type })
		switch {
		case at < 0 && c.Before != nil, at >= 0 && c.Before == nil:
			return errChanged
		case at >= 0 && !same(z.Sets[at].Values, c.Before.Values):
			return errChanged
		}
		s := set{Name: c.Name, Type: c.Type}
		if c.After != nil {
			s.TTL, s.Values = c.After.TTL, c.After.Values
		}
		sets = append(sets, s)
	}
	_, err = ask(http.MethodPatch, q.Zone, map[string]any{"version": z.Version, "sets": sets})
	return err
}

func same(a, b []string) bool {
	a, b = slices.Clone(a), slices.Clone(b)
	slices.Sort(a)
	slices.Sort(b)
	return slices.Equal(a, b)
}

// ask asks the provider.
func ask(method, name string, body any) (zone, error) {
	var text bytes.Buffer
	if body != nil {
		if err := json.NewEncoder(&text).Encode(body); err != nil {
			return zone{}, err
		}
	}
	r, err := http.NewRequest(method, provider+name, &text)
	if err != nil {
		return zone{}, err
	}
	r.Header.Set("Authorization", "Bearer "+os.Getenv("PROVIDER_TOKEN"))
	answer, err := http.DefaultClient.Do(r)
	if err != nil {
		return zone{}, err
	}
	defer answer.Body.Close()
	said, err := io.ReadAll(io.LimitReader(answer.Body, 16<<20))
	if err != nil {
		return zone{}, err
	}
	switch answer.StatusCode {
	case http.StatusOK:
		var z zone
		return z, json.Unmarshal(said, &z)
	case http.StatusPreconditionFailed:
		return zone{}, errChanged
	}
	return zone{}, fmt.Errorf("the provider says %s: %s", answer.Status,
		strings.TrimSpace(string(said)))
}
