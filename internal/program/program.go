// Package program speaks with a program of the user's own that reads and changes zones at a
// provider: JSON lines over its standard input and output, as docs/carrying.md says. What comes
// back is no more trusted than a page.
//
//	p, err := program.Start(ctx, program.Command{Run: []string{"./my-provider"}, Folder: "."})
//	defer p.Close()
//	sets, err := p.Read(ctx, "old.example", keys)
package program

import (
	"bufio"
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"time"

	"upperpath.example/upperpath/internal/core/record"
	"upperpath.example/upperpath/internal/core/send"
)

// Version is that of what is spoken.
const Version = 1

// The bounds of what a program may say.
const (
	mostLine     = 16 << 20 // octets of one answer
	mostSets     = 100_000  // of one zone
	mostValues   = 10_000   // of one set
	mostProgress = 10_000   // lines for one question
	mostSaid     = 500      // octets of what it says for people
)

// Command says how a program is started.
type Command struct {
	Run     []string // its file, relative to Folder, and what it is told
	Folder  string   // in which it runs
	Env     []string // names in the environment that it is given, beside PATH, HOME and their like
	Timeout time.Duration
	Says    func(string) // takes what it says of its progress; may be nil
}

// Question is what a program is asked.
type Question struct {
	Carrying int    `json:"carrying"` // the version
	ID       int    `json:"id"`
	Ask      string `json:"ask"` // hello, read or change
	Zone     string `json:"zone,omitempty"`
	// of change: what has to stand there before, and what is to stand there
	Changes []Change `json:"changes,omitempty"`
}

// Change is a set that is changed, whole.
type Change struct {
	Name   string `json:"name"`
	Type   string `json:"type"`
	Before *Set   `json:"before"` // null: nothing may be there
	After  *Set   `json:"after"`  // null: nothing is to be there
}

// Set is the values of a set.
type Set struct {
	TTL    int      `json:"ttl"`
	Values []string `json:"values"`
}

// Answer is what a program answers: lines of progress, then one of the others.
type Answer struct {
	ID       int    `json:"id"`
	Is       string `json:"is"` // progress, hello, zone, changed, refused or failed
	Carrying int    `json:"carrying,omitempty"`
	Name     string `json:"name,omitempty"`
	Zone     string `json:"zone,omitempty"`
	Says     string `json:"says,omitempty"`
	Changed  bool   `json:"changed,omitempty"` // of refused: since the zone is not as it has to be before
	Sets     []struct {
		Name   string   `json:"name"`
		Type   string   `json:"type"`
		TTL    int      `json:"ttl"`
		Values []string `json:"values"`
	} `json:"sets,omitempty"`
}

// Program is one that runs. It is a send.Place.
type Program struct {
	Name string // as it calls itself

	command Command
	process *exec.Cmd
	in      io.WriteCloser
	lines   chan line
	stderr  *tail
	asked   int
	broken  error // it cannot be asked any more
	close   sync.Once
}

type line struct {
	text []byte
	err  error
}

// kept are names in the environment that every program needs to run at all.
var kept = []string{"PATH", "HOME", "TMPDIR", "TEMP", "TMP", "SYSTEMROOT", "USERPROFILE", "LANG",
	"SSL_CERT_FILE", "SSL_CERT_DIR"}

// Start starts a program, and asks it which version it speaks. An error says why it cannot be used.
func Start(ctx context.Context, c Command) (*Program, error) {
	if len(c.Run) == 0 {
		return nil, errors.New("no program is named")
	}
	file := c.Run[0]
	if strings.ContainsRune(file, filepath.Separator) || strings.Contains(file, "/") {
		if !filepath.IsAbs(file) {
			file = filepath.Join(c.Folder, file)
		}
	}
	p := &Program{command: c, lines: make(chan line, 1), stderr: &tail{}}
	p.process = exec.Command(file, c.Run[1:]...)
	p.process.Dir = c.Folder
	p.process.Stderr = p.stderr
	for _, name := range slices.Concat(kept, c.Env) {
		if value, there := os.LookupEnv(name); there {
			p.process.Env = append(p.process.Env, name+"="+value)
		}
	}
	p.process.WaitDelay = time.Second
	var err error
	if p.in, err = p.process.StdinPipe(); err != nil {
		return nil, err
	}
	out, err := p.process.StdoutPipe()
	if err != nil {
		return nil, err
	}
	alone(p.process)
	if err := p.process.Start(); err != nil {
		return nil, fmt.Errorf("%s cannot be started: %w", c.Run[0], err)
	}
	go p.listen(out)
	a, err := p.ask(ctx, Question{Ask: "hello"})
	switch {
	case err != nil:
	case a.Is != "hello":
		err = p.garbage("hello was answered by %q", a.Is)
	case a.Carrying != Version:
		err = fmt.Errorf("%s speaks version %d of this, and this program version %d", c.Run[0],
			a.Carrying, Version)
	}
	if err != nil {
		p.Close()
		return nil, err
	}
	p.Name = clean(a.Name)
	return p, nil
}

// listen hands over what the program says, line by line.
func (p *Program) listen(out io.Reader) {
	defer close(p.lines)
	r := bufio.NewReaderSize(out, 64<<10)
	var text []byte
	for {
		part, err := r.ReadSlice('\n')
		text = append(text, part...)
		switch {
		case len(text) > mostLine:
			p.lines <- line{err: fmt.Errorf("it says more than %d MiB in one line", mostLine>>20)}
			return
		case errors.Is(err, bufio.ErrBufferFull):
			continue
		case err != nil:
			if len(bytes.TrimSpace(text)) > 0 {
				p.lines <- line{text: text}
			}
			return
		}
		if len(bytes.TrimSpace(text)) > 0 {
			p.lines <- line{text: text}
		}
		text = nil
	}
}

// ask asks one question, and reads its answer. Where none comes in time, or one that is none, the
// program is not asked again.
func (p *Program) ask(ctx context.Context, q Question) (Answer, error) {
	if p.broken != nil {
		return Answer{}, p.broken
	}
	p.asked++
	q.ID, q.Carrying = p.asked, Version
	text, err := json.Marshal(q)
	if err != nil {
		return Answer{}, err
	}
	over := time.NewTimer(p.command.Timeout)
	defer over.Stop()
	written := make(chan error, 1)
	go func() {
		_, err := p.in.Write(append(text, '\n'))
		written <- err
	}()
	for progress := 0; ; {
		select {
		case err := <-written:
			if written = nil; err != nil {
				return Answer{}, p.broke(fmt.Errorf("it takes nothing: %w%s", err, p.stderr.last()))
			}
		case <-ctx.Done():
			return Answer{}, p.broke(ctx.Err())
		case <-over.C:
			return Answer{}, p.broke(fmt.Errorf("it does not answer within %s%s", p.command.Timeout,
				p.stderr.last()))
		case l, open := <-p.lines:
			if !open {
				return Answer{}, p.broke(fmt.Errorf("it ended without an answer%s", p.stderr.last()))
			}
			if l.err != nil {
				return Answer{}, p.broke(l.err)
			}
			var a Answer
			if err := json.Unmarshal(l.text, &a); err != nil {
				return Answer{}, p.garbage("it said %q, which is no answer", clipped(l.text))
			}
			switch {
			case a.ID != q.ID:
				return Answer{}, p.garbage("it answered question %d instead of %d", a.ID, q.ID)
			case a.Is == "progress":
				if progress++; progress > mostProgress {
					return Answer{}, p.garbage("it says nothing but progress")
				}
				if p.command.Says != nil {
					p.command.Says(clean(a.Says))
				}
				over.Reset(p.command.Timeout) // it is at work
				continue
			}
			a.Says = clean(a.Says)
			return a, nil
		}
	}
}

func (p *Program) broke(err error) error {
	p.broken = err
	p.end()
	return err
}

func (p *Program) garbage(format string, args ...any) error {
	return p.broke(fmt.Errorf(format, args...))
}

func clipped(text []byte) string {
	return string(bytes.TrimSpace(text[:min(len(text), 80)]))
}

// clean gives what a program says as a line of text.
func clean(s string) string {
	s = strings.ToValidUTF8(s[:min(len(s), mostSaid)], "")
	return strings.Join(strings.FieldsFunc(s, func(r rune) bool { return r < ' ' || r == 0x7f }), " ")
}

// Read asks for a zone, and gives the sets with these keys.
func (p *Program) Read(ctx context.Context, zone string, keys []record.Key) ([]record.Set, error) {
	all, err := p.Zone(ctx, zone)
	if err != nil {
		return nil, err
	}
	return slices.DeleteFunc(all, func(s record.Set) bool {
		return !slices.Contains(keys, record.Key{Name: s.Name, Type: s.Type})
	}), nil
}

// Zone asks for a whole zone.
func (p *Program) Zone(ctx context.Context, zone string) ([]record.Set, error) {
	a, err := p.ask(ctx, Question{Ask: "read", Zone: zone})
	switch {
	case err != nil:
		return nil, err
	case a.Is == "refused" || a.Is == "failed":
		return nil, errors.New(said(a))
	case a.Is != "zone":
		return nil, p.garbage("read was answered by %q", clipped([]byte(a.Is)))
	case !strings.EqualFold(strings.TrimSuffix(a.Zone, "."), zone):
		return nil, p.garbage("it was asked for %s, and answered for %q", zone, clipped([]byte(a.Zone)))
	case len(a.Sets) > mostSets:
		return nil, p.garbage("the zone has more than %d sets", mostSets)
	}
	all := make([]record.Set, 0, len(a.Sets))
	have := map[record.Key]bool{}
	for _, s := range a.Sets {
		name := strings.ToLower(strings.TrimSuffix(s.Name, "."))
		set := record.Set{Name: name, Type: strings.ToUpper(s.Type), TTL: s.TTL, Values: s.Values}
		key := record.Key{Name: set.Name, Type: set.Type}
		switch {
		case name != zone && !strings.HasSuffix(name, "."+zone):
			return nil, p.garbage("%q is not in the zone %s", clipped([]byte(s.Name)), zone)
		case len(s.Values) == 0 || len(s.Values) > mostValues || s.TTL < 0 || s.TTL > 1<<31-1:
			return nil, p.garbage("%s %s has no values, too many, or no TTL", clipped([]byte(name)),
				clipped([]byte(set.Type)))
		case have[key]:
			return nil, p.garbage("%s %s comes twice", clipped([]byte(name)), clipped([]byte(set.Type)))
		}
		have[key] = true
		all = append(all, set)
	}
	return all, nil
}

func said(a Answer) string {
	if a.Says == "" {
		return "it says only that it " + map[string]string{"refused": "refuses"}[a.Is] +
			map[string]string{"failed": "failed"}[a.Is]
	}
	return a.Says
}

// Change has the program change sets.
func (p *Program) Change(ctx context.Context, t send.Transfer) (string, error) {
	if p.broken != nil {
		return "", &send.NotSent{Why: p.broken.Error()}
	}
	q := Question{Ask: "change", Zone: t.Zone}
	of := func(s *record.Set) *Set {
		if s == nil {
			return nil
		}
		return &Set{TTL: s.TTL, Values: s.Values}
	}
	for _, c := range t.Changes {
		q.Changes = append(q.Changes, Change{Name: c.Name, Type: c.Type, Before: of(c.Before),
			After: of(c.After)})
	}
	a, err := p.ask(ctx, q)
	switch {
	case err != nil:
		return "", err
	case a.Is == "changed":
		return a.Says, nil
	case a.Is == "refused":
		return "", &send.Refused{Says: said(a), Changed: a.Changed}
	case a.Is == "failed":
		return "", errors.New(said(a))
	}
	return "", p.garbage("change was answered by %q", clipped([]byte(a.Is)))
}

// Close ends the program: its standard input ends, and where it does not, it is killed.
func (p *Program) Close() {
	p.close.Do(func() {
		_ = p.in.Close()
		done := make(chan struct{})
		go func() {
			for range p.lines { // whatever it still says
			}
			_ = p.process.Wait()
			close(done)
		}()
		select {
		case <-done:
		case <-time.After(2 * time.Second):
			p.end()
			<-done
		}
	})
}

// end kills the program and what it started.
func (p *Program) end() { killAll(p.process) }

// tail keeps the last of what a program complains.
type tail struct {
	lock sync.Mutex
	text []byte
}

func (t *tail) Write(b []byte) (int, error) {
	t.lock.Lock()
	defer t.lock.Unlock()
	t.text = append(t.text, b...)
	if over := len(t.text) - 2*mostSaid; over > 0 {
		t.text = t.text[over:]
	}
	return len(b), nil
}

// last gives its last line, for a sentence.
func (t *tail) last() string {
	t.lock.Lock()
	defer t.lock.Unlock()
	lines := bytes.Split(bytes.TrimSpace(t.text), []byte("\n"))
	if text := clean(string(lines[len(lines)-1])); text != "" {
		return ` (it complains: "` + text + `")`
	}
	return ""
}

// Provider is a program that is started as it is needed, and again after it broke off. It is a
// send.Place.
type Provider struct {
	Command Command
	running *Program
}

// start gives the program that runs.
func (p *Provider) start(ctx context.Context) (*Program, error) {
	if p.running != nil && p.running.broken == nil {
		return p.running, nil
	}
	p.Close()
	running, err := Start(ctx, p.Command)
	if err == nil {
		p.running = running
	}
	return running, err
}

// Read reads sets of a zone.
func (p *Provider) Read(ctx context.Context, zone string, keys []record.Key) ([]record.Set, error) {
	running, err := p.start(ctx)
	if err != nil {
		return nil, err
	}
	return running.Read(ctx, zone, keys)
}

// Change changes sets of a zone.
func (p *Provider) Change(ctx context.Context, t send.Transfer) (string, error) {
	running, err := p.start(ctx)
	if err != nil {
		return "", &send.NotSent{Why: err.Error()}
	}
	return running.Change(ctx, t)
}

// Close ends the program, where it runs.
func (p *Provider) Close() {
	if p.running != nil {
		p.running.Close()
		p.running = nil
	}
}
