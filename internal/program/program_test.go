package program_test

import (
	"bufio"
	"context"
	"encoding/json"
	"fmt"
	"os"
	"os/exec"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"upperpath.example/upperpath/internal/core/record"
	"upperpath.example/upperpath/internal/core/send"
	"upperpath.example/upperpath/internal/program"
)

// The test is its own child: what it plays then stands in the environment.
const plays = "UPPERPATH_TEST_PLAYS"

func TestMain(m *testing.M) {
	if role := os.Getenv(plays); role != "" {
		play(role)
		return
	}
	os.Exit(m.Run())
}

// play is a program with a zone in memory, and with a fault.
func play(fault string) {
	type set = program.Set
	zone := map[[2]string]set{{"old.example", "A"}: {TTL: 300, Values: []string{"192.0.2.1"}}}
	say := func(v map[string]any) {
		text, _ := json.Marshal(v)
		fmt.Println(string(text))
	}
	in := bufio.NewScanner(os.Stdin)
	in.Buffer(nil, 1<<20)
	for in.Scan() {
		var q program.Question
		if json.Unmarshal(in.Bytes(), &q) != nil {
			return
		}
		a := map[string]any{"id": q.ID}
		switch q.Ask {
		case "hello":
			a["is"], a["carrying"], a["name"] = "hello", 1, "a test\x1b[31m"
			switch fault {
			case "another version":
				a["carrying"] = 2
			case "garbage at once":
				fmt.Println("Welcome to my provider!")
				continue
			case "dies at once":
				fmt.Fprintln(os.Stderr, "no token is set")
				os.Exit(3)
			}
		case "read":
			switch fault {
			case "another zone":
				q.Zone = "other.example"
			case "another id":
				a["id"] = 77
			case "hangs":
				time.Sleep(time.Hour)
			case "an endless line":
				for {
					fmt.Print(strings.Repeat("x", 1<<20))
				}
			case "progress for ever":
				for {
					say(map[string]any{"id": q.ID, "is": "progress", "says": "soon"})
				}
			case "a foreign name":
				a["sets"] = []map[string]any{{"name": "www.other.example", "type": "A", "ttl": 1,
					"values": []string{"192.0.2.1"}}}
			case "a set twice":
				one := map[string]any{"name": "old.example", "type": "A", "ttl": 1,
					"values": []string{"192.0.2.1"}}
				a["sets"] = []map[string]any{one, one}
			}
			if q.Zone == program.Foreign && fault != "reads anything" {
				a["is"], a["says"] = "failed", "there is no such zone"
				break
			}
			a["is"], a["zone"] = "zone", q.Zone
			if a["sets"] == nil {
				var sets []map[string]any
				for k, s := range zone {
					sets = append(
						sets,
						map[string]any{"name": k[0], "type": k[1], "ttl": s.TTL, "values": s.Values},
					)
				}
				a["sets"] = sets
			}
		case "change":
			say(map[string]any{"id": q.ID, "is": "progress", "says": "at it"})
			if fault == "dies in the middle" {
				c := q.Changes[0]
				zone[[2]string{c.Name, c.Type}] = *c.After
				os.Exit(1)
			}
			ok := q.Zone == "old.example" || fault == "reads anything"
			for _, c := range q.Changes {
				s, there := zone[[2]string{c.Name, c.Type}]
				ok = ok && (c.Before == nil) == !there &&
					(c.Before == nil || slices.Equal(s.Values, c.Before.Values))
			}
			if !ok && fault != "minds nothing before" {
				a["is"], a["changed"] = "refused", true
				break
			}
			a["is"] = "changed"
			for i, c := range q.Changes {
				if fault == "lies" || fault == "takes the first alone" && i > 0 {
					break
				}
				if delete(zone, [2]string{c.Name, c.Type}); c.After != nil {
					s := *c.After
					if fault == "has a least TTL" {
						s.TTL = max(s.TTL, 3600)
					}
					zone[[2]string{c.Name, c.Type}] = s
				}
			}
		}
		say(a)
	}
	if fault == "does not end" {
		time.Sleep(time.Hour)
	}
}

func command(t *testing.T, role string) program.Command {
	t.Setenv(plays, role)
	t.Setenv("SECRET_OF_OTHERS", "hidden")
	return program.Command{Run: []string{os.Args[0]}, Env: []string{plays}, Timeout: 2 * time.Second}
}

func transfer() send.Transfer {
	return send.Transfer{Zone: "old.example", Changes: []record.Change{
		{Name: "old.example", Type: "A", Before: &record.Set{Name: "old.example", Type: "A", TTL: 300,
			Values: []string{"192.0.2.1"}}, After: &record.Set{Name: "old.example", Type: "A", TTL: 300,
			Values: []string{"192.0.2.2"}}},
		{Name: "www.old.example", Type: "A", After: &record.Set{Name: "www.old.example", Type: "A",
			TTL: 300, Values: []string{"192.0.2.2"}}}}}
}

// clock is one on which nobody waits.
type clock struct{}

func (clock) Now() time.Time                       { return time.Unix(1796092800, 0) }
func (clock) Sleep(context.Context, time.Duration) {}

func TestWhatProgramsDo(t *testing.T) {
	for role, wanted := range map[string]send.Outcome{
		"none":                  send.Sent,
		"has a least TTL":       send.Sent,
		"lies":                  send.NotTaken,
		"takes the first alone": send.Halfway,
		"dies in the middle":    send.NotTaken, // its zone is in memory: a new one has the old
		"another version":       send.Unread,
		"garbage at once":       send.Unread,
		"dies at once":          send.Unread,
		"another zone":          send.Unread,
		"another id":            send.Unread,
		"hangs":                 send.Unread,
		"an endless line":       send.Unread,
		"progress for ever":     send.Unread,
		"a foreign name":        send.Unread,
		"a set twice":           send.Unread,
	} {
		t.Run(role, func(t *testing.T) {
			p := &program.Provider{Command: command(t, role)}
			defer p.Close()
			began := time.Now()
			e, err := send.Carry(context.Background(), p, clock{}, send.Entry{Step: 1}, transfer(),
				func(*send.Entry) error { return nil })
			require.NoError(t, err)
			assert.Equal(t, wanted, e.Outcome, e.Answer)
			assert.NotContains(t, e.Answer, "\x1b")
			assert.Less(t, time.Since(began), time.Minute)
			if role == "dies at once" {
				assert.Contains(t, e.Answer, "no token is set", "what it complains of is said")
			}
		})
	}
}

func TestAProgramSeesNothingElse(t *testing.T) {
	c := command(t, "none")
	c.Run = []string{
		"/bin/sh",
		"-c",
		`read -r q; echo "{\"id\":1,\"is\":\"hello\",\"carrying\":1,\"name\":\"$(env | tr '\n' ' ' | tr -d '\"\\')\"}"`,
	}
	p, err := program.Start(context.Background(), c)
	if _, missing := exec.LookPath("/bin/sh"); missing != nil {
		t.Skip("no shell")
	}
	require.NoError(t, err)
	defer p.Close()
	assert.Contains(t, p.Name, plays+"=none")
	assert.NotContains(t, p.Name, "hidden")
}

func TestConformance(t *testing.T) {
	for role, lacks := range map[string]string{
		"none":                  "",
		"minds nothing before":  "refuses to add what is there",
		"lies":                  "takes several sets in one change",
		"takes the first alone": "takes several sets in one change",
		"has a least TTL":       "takes several sets in one change",
		"reads anything":        "does not answer for a zone that it has not",
		"another version":       "answers hello",
		"another zone":          "reads the zone",
		"does not end":          "ends when its standard input does",
	} {
		t.Run(role, func(t *testing.T) {
			all := program.Try(context.Background(), command(t, role), "old.example")
			require.NotEmpty(t, all)
			var bad []string
			for _, c := range all {
				if !c.OK {
					assert.NotEmpty(t, c.Says)
					bad = append(bad, c.Name)
				}
			}
			if lacks == "" {
				assert.Empty(t, bad)
				assert.Len(t, all, 13)
				return
			}
			require.NotEmpty(t, bad)
			assert.Contains(t, bad[0], lacks)
		})
	}
}
