package cli

import (
	"context"
	"errors"
	"fmt"
	"net/netip"
	"os"
	"slices"
	"strings"
	"sync/atomic"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/estate"
	"upperpath.example/upperpath/internal/core/plan"
	"upperpath.example/upperpath/internal/core/predict"
	"upperpath.example/upperpath/internal/core/wording"
	"upperpath.example/upperpath/internal/files"
	"upperpath.example/upperpath/internal/servers"
	"upperpath.example/upperpath/internal/stage"
	"upperpath.example/upperpath/internal/store"
	"upperpath.example/upperpath/internal/words"
)

// stageOptions say how a plan is rehearsed.
type stageOptions struct {
	with    string // the real server that answers in its carrier's place; "": the stage plays it
	carrier string
	back    visitorOptions // the browser that comes back
}

// realOnStage is a real server in the place of a carrier.
type realOnStage struct {
	writer  servers.Writer
	carrier *estate.Carrier
	doors   []predict.Treatment
	served  *servers.Served
	asked   atomic.Int64 // connections that came to it
	behind  int          // doors at which an edge network answers, as the stage plays it
}

// realFor finds what a real server is to stand in for.
func realFor(e *files.Estate, made *plan.Plan, o *stageOptions) (*realOnStage, error) {
	if o.with == "" {
		if o.carrier != "" {
			return nil, usage("--carrier %s: it says in whose place a server answers; expected --with too",
				o.carrier)
		}
		return nil, nil
	}
	w, known := servers.WriterOf(o.with)
	if !known {
		return nil, usage("--with %s: expected one of %s", o.with, strings.Join(estate.Software(), ", "))
	}
	name, err := serverCarrier(e, o.carrier, w.Name)
	if err != nil {
		return nil, err
	}
	r := &realOnStage{writer: w, carrier: made.Estate.Carrier(name), doors: made.Web.Held(name)}
	for _, d := range r.doors {
		if d.Domain != nil && d.Domain.Carry[d.Host] != r.carrier {
			r.behind++ // the carrier of the host is an edge network in front of it
		}
	}
	switch {
	case len(r.doors) == 0:
		return nil, usage("--with %s: %s carries none of these doors", o.with, name)
	case len(r.carrier.Addresses) == 0:
		return nil, usage("--with %s: the estate file names no address of %s", o.with, name)
	}
	for _, a := range r.carrier.Addresses {
		for _, s := range made.Estate.Sites() {
			if slices.Contains(s.Addresses, a) {
				return nil, usage("--with %s: the site is at %s too, and what write %s makes answers for "+
					"redirects alone", o.with, a, w.Name)
			}
		}
		for _, c := range made.Estate.Carriers {
			if c.Name != name && slices.Contains(c.Addresses, a) {
				return nil, usage("--with %s: %s is at %s too, and one file answers for one carrier",
					o.with, c.Name, a)
			}
		}
	}
	return r, nil
}

// relay has a scene lead to the server, at ports that are known before it runs.
func (r *realOnStage) relay(scene *stage.Scene) {
	for _, a := range r.carrier.Addresses {
		scene.Endpoints[netip.AddrPortFrom(a, 80)] = &stage.Endpoint{RelayTo: func() string {
			r.asked.Add(1)
			return r.served.HTTP
		}}
		scene.Endpoints[netip.AddrPortFrom(a, 443)] = &stage.Endpoint{RelayTo: func() string {
			r.asked.Add(1)
			return r.served.HTTPS
		}}
	}
}

// said says what the server had to do with what was met.
func (r *realOnStage) said() []string {
	var all []string
	if r.asked.Load() == 0 {
		all = append(all, fmt.Sprintf(words.NotAsked, r.served.By, r.carrier.Name))
	} else {
		all = append(all, fmt.Sprintf(words.AnsweredBy, r.carrier.Name, r.served.By, r.writer.Name))
	}
	if r.behind > 0 {
		all = append(all, fmt.Sprintf(words.BehindEdge, wording.Count(r.behind, "door"), r.carrier.Name,
			wording.Verb(r.behind, "stands", "stand"), r.served.By))
	}
	return all
}

// holds gives the hosts for which the carrier has a certificate by then, of these.
func (r *realOnStage) holds(scene stage.Scene) func(hosts []string) []string {
	held := map[string]bool{}
	for _, a := range r.carrier.Addresses {
		if e := scene.Endpoints[netip.AddrPortFrom(a, 443)]; e != nil {
			for _, c := range e.Certificates {
				for _, n := range c.Names {
					held[n] = true
				}
			}
		}
	}
	return func(hosts []string) []string {
		var all []string
		for _, h := range hosts {
			if held[h] {
				all = append(all, h)
			}
		}
		if len(all) == 0 {
			return []string{"nobody.stage.example"}
		}
		return all
	}
}

// onRehearsal plays a plan on a stage of its own and hands its visitors to do.
func (p *program) onRehearsal(ctx context.Context, e *files.Estate, made *plan.Plan,
	o *stageOptions, do func(ctx context.Context, who *crowd, typed stage.Typed) error) error {
	whole := made.Whole()
	typed, err := typedFrom(whole)
	if err != nil {
		return failed(err)
	}
	scene, err := stage.FromTyped(whole, typed)
	if err != nil {
		return failed(err)
	}
	scene.Now = now()
	memory, err := o.back.remembers(ctx, e)
	if err != nil {
		return err
	}
	with, err := realFor(e, made, o)
	if err != nil {
		return err
	}
	var names func([]string) []string
	if with != nil {
		names = with.holds(scene)
		with.relay(&scene)
	}
	return onStage(ctx, scene, "rehearsal", func(ctx context.Context, s *stage.Stage) (err error) {
		if with != nil {
			with.served, err = with.writer.Serve(ctx, with.doors, servers.Options{},
				func(hosts []string) (certificate, key []byte, err error) {
					return s.Issue(stage.Certificate{Names: names(hosts)})
				})
			if errors.Is(err, servers.ErrNoServer) {
				return usage("--with %s: %s", o.with, err)
			} else if err != nil {
				return failed(err)
			}
			defer func() { err = errors.Join(err, with.served.Close()) }()
		}
		vantage := s.Vantage()
		vantage.Name, vantage.Agent, vantage.Clock = "rehearsal", agent(made.Estate.Contact), now
		who := &crowd{memory: memory}
		if err := who.add(vantage, ""); err != nil {
			return failed(err)
		}
		defer func() { _ = who.close() }()
		if with != nil {
			who.said = with.said
		}
		who.returns()
		return do(ctx, who, typed)
	})
}

// rehearseOldURLs follows the old URLs of a list on the stage; what is met is shown, not kept.
func (p *program) rehearseOldURLs(ctx context.Context, e *files.Estate, made *plan.Plan,
	o *stageOptions, olds *oldURLOptions, out *output) error {
	if o.back.returning != "" {
		return usage("--old-urls goes as one visitor; expected it without --returning")
	}
	source := fromHere(olds.path)
	if olds.path == "-" {
		path, done, err := p.standardInput()
		if err != nil {
			return err
		}
		defer done()
		olds.path, source = path, "standard input"
	}
	list, err := p.listOf(ctx, made, olds)
	if err != nil {
		return err
	}
	folder, err := os.MkdirTemp("", "upperpath-rehearsal-*")
	if err != nil {
		return failed(err)
	}
	defer func() { _ = os.RemoveAll(folder) }()
	return p.onRehearsal(ctx, e, made, o, func(ctx context.Context, who *crowd, _ stage.Typed) error {
		s, err := store.Open(store.Of{Folder: folder, Name: "rehearsal", Now: now()})
		if err != nil {
			return storeFailed(err)
		}
		defer s.Close()
		run, err := s.BeginRun(ctx, store.Run{Started: p.now(), Vantage: "rehearsal", Source: source,
			Digest: list.digest, Total: list.total, Scope: scopeOf(e, made, olds.only, &vantageOptions{})})
		if err != nil {
			return storeFailed(err)
		}
		err = p.follow(ctx, s, run, made, who, mostOnStage, list, func(int) bool { return false })
		interrupted := errors.Is(err, context.Canceled)
		if err != nil && !interrupted {
			return err
		}
		findings, showErr := p.showFollowed(context.WithoutCancel(ctx), s, run, list, true,
			who.notes(), out)
		return errors.Join(showErr, err, findings)
	})
}

// mostOnStage is how many URLs are followed at once on a stage.
const mostOnStage = 32

// returns adds the browser that comes back, if somebody remembers.
func (c *crowd) returns() {
	if c.memory == nil {
		return
	}
	c.visitors[0].Name = "as a browser"
	c.visitors = append(c.visitors, chain.Visitor{Name: "a returning browser",
		Asker: chain.Returning{Asker: c.webs[0], Memory: c.memory, Now: c.webs[0].Now()}})
}
