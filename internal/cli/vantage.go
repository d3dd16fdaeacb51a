package cli

import (
	"cmp"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"upperpath.example/upperpath/internal/core/estate"
	"upperpath.example/upperpath/internal/files"
	"upperpath.example/upperpath/internal/live"
)

// vantageOptions says from where to look.
type vantageOptions struct {
	from, proxy, trust, asOf string
	fromGiven                func() bool // whether --from was; nil: it was not
	resolvers, points        []string
	timeout                  time.Duration
	parallel, perHost        int
	rate                     float64
	private                  bool
}

func (o *vantageOptions) flags(c *cobra.Command) { o.flagsNamed(c, "timeout") }

// flagsNamed adds the options; timeout is how that for each step is called.
func (o *vantageOptions) flagsNamed(c *cobra.Command, timeout string) {
	f := c.Flags()
	before := flagNames(f)
	defer func() { asLooking(f, append(before, "from"), "timeout", timeout) }()
	f.StringVar(&o.from, "from", "",
		"look from this `VANTAGE`: a name in the estate file, or a file")
	o.fromGiven = func() bool { return f.Changed("from") }
	f.StringArrayVar(&o.resolvers, "resolver", nil, "ask the resolver at `HOST:PORT` (repeatable)")
	f.StringVar(&o.proxy, "proxy", "", "go through the SOCKS5 proxy at this `URL`, socks5://HOST:PORT")
	f.StringVar(&o.trust, "trust", "",
		"trust the certificates in this PEM `FILE` instead of the system's")
	f.DurationVar(&o.timeout, timeout, 0,
		"how long to wait at each step, a `TIME` such as 2s (default 10s)")
	f.StringArrayVar(
		&o.points,
		"point",
		nil,
		"go to an address, whatever DNS says: `HOST=ADDRESS` (repeatable; each may have a port)",
	)
	f.BoolVar(&o.private, "allow-private", false,
		"follow redirects of public addresses into private networks too")
	f.StringVar(&o.asOf, "as-of", "",
		"judge certificates at this `TIME`, such as 2027-03-01")
	f.IntVar(&o.parallel, "parallel", 32, "the `NUMBER` of URLs to follow at once")
	f.IntVar(&o.perHost, "per-host", 4, "the `NUMBER` of requests at a time to one host")
	f.Float64Var(&o.rate, "rate", 0,
		"the `NUMBER` of requests a second to one host (default: no limit)")
}

// open makes the web that is seen from the vantage. The estate may be nil.
func (o *vantageOptions) open(e *files.Estate) (*live.Client, error) {
	v, err := o.vantage(e)
	if err != nil {
		return nil, err
	}
	return live.New(v)
}

// vantage gives the vantage that the options describe.
func (o *vantageOptions) vantage(e *files.Estate) (live.Vantage, error) {
	if o.parallel < 1 || o.parallel > 1024 {
		return live.Vantage{}, usage("--parallel %d: expected a number from 1 to 1024", o.parallel)
	}
	if o.perHost < 1 || o.perHost > 64 {
		return live.Vantage{}, usage("--per-host %d: expected a number from 1 to 64", o.perHost)
	}
	if o.rate < 0 {
		return live.Vantage{}, usage("--rate %v: expected a number above 0, such as 2 or 0.5", o.rate)
	}
	name, v, err := o.settings(e)
	if err != nil {
		return live.Vantage{}, err
	}
	vantage, err := live.FromEstate(name, v)
	if err != nil {
		return live.Vantage{}, ended{exitUsage, err}
	}
	for _, p := range o.points {
		point, err := live.ParsePoint(p)
		if err != nil {
			return live.Vantage{}, usage("--point %w", err)
		}
		vantage.Points = append(vantage.Points, point)
	}
	if vantage.AsOf, err = parseTime(o.asOf); err != nil {
		return live.Vantage{}, err
	}
	vantage.Private, vantage.PerHost, vantage.Rate = o.private, o.perHost, o.rate
	vantage.Agent = agent("")
	if e != nil {
		vantage.Agent = agent(e.Contact)
	}
	vantage.Clock = now
	return vantage, nil
}

func agent(contact string) string {
	if contact != "" {
		return "UpperPath/" + version() + " (+" + contact + ")"
	}
	return "UpperPath/" + version()
}

func parseTime(s string) (time.Time, error) {
	if s == "" {
		return time.Time{}, nil
	}
	for _, layout := range []string{time.DateOnly, time.RFC3339} {
		if t, err := time.Parse(layout, s); err == nil {
			return t, nil
		}
	}
	return time.Time{},
		usage("--as-of %s: expected a time such as 2027-03-01 or 2027-03-01T12:00:00Z", s)
}

// settings puts the named vantage and the options together; options win.
func (o *vantageOptions) settings(e *files.Estate) (string, estate.Vantage, error) {
	name, v := "the system's own resolvers", estate.Vantage{}
	if from, source := o.place(e); from != "" {
		var err error
		if name, v, err = named(from, source, e); err != nil {
			return "", v, err
		}
	}
	if len(o.resolvers) > 0 {
		v.Resolvers = nil
		for _, r := range o.resolvers {
			address, ok := estate.ResolverAddress(r)
			if !ok {
				return "", v,
					usage("--resolver %s: expected an IP address, with or without a port, such as 192.0.2.53:53",
						r)
			}
			v.Resolvers = append(v.Resolvers, address)
		}
		name = "resolver " + strings.Join(v.Resolvers, ", ")
	}
	if o.proxy != "" {
		if !estate.ValidProxy(o.proxy) {
			return "", v, usage("--proxy %s: expected socks5://HOST:PORT", o.proxy)
		}
		v.Proxy = o.proxy
	}
	if o.trust != "" {
		v.Trust = o.trust
	}
	if o.timeout < 0 {
		return "", v, usage("--timeout %s: expected a time above 0, such as 2s", o.timeout)
	}
	if o.timeout > 0 {
		v.Timeout = o.timeout
	}
	return name, v, nil
}

// fromVariable is the environment variable with the default of --from.
const fromVariable = "UPPERPATH_FROM"

// byOption says that a vantage was chosen on the command line.
const byOption = "--from "

// place gives the vantage that was chosen, and by what; "": none was. The option wins, then the
// variable, then the estate file.
func (o *vantageOptions) place(e *files.Estate) (from, source string) {
	set := os.Getenv(fromVariable)
	switch {
	case o.from != "" || o.fromGiven != nil && o.fromGiven():
		return o.from, byOption
	case set != "":
		return set, fromVariable + "="
	case e == nil || e.From == "":
		return "", ""
	}
	if _, known := e.Vantages[e.From]; known || !strings.ContainsAny(e.From, "./\\") {
		return e.From, e.Path + ": from: "
	}
	return files.Beside(e.Path, e.From), e.Path + ": from: "
}

// named gives the vantage with a name in the estate file, or of a vantage file. The estate may be
// nil; source says by what it was chosen.
func named(from, source string, e *files.Estate) (string, estate.Vantage, error) {
	if e != nil {
		if v, ok := e.Vantages[from]; ok {
			return from, v, nil
		}
	}
	if _, err := os.Stat(from); errors.Is(err, os.ErrNotExist) &&
		!strings.ContainsAny(from, "./\\") && e != nil {
		var names []string
		for n := range e.Vantages {
			names = append(names, n)
		}
		slices.Sort(names)
		return "", estate.Vantage{}, usage(
			"%s%s: the estate file has no such vantage (it has: %s), and there is no such file",
			source,
			from,
			cmp.Or(strings.Join(names, ", "), "none"),
		)
	}
	if _, err := os.Stat(from); errors.Is(err, os.ErrNotExist) && filepath.Base(from) == vantageName {
		return "", estate.Vantage{}, usage("%s%s: there is no such file; upperpath stage %s writes it, "+
			"and plays that web", source, from, quoteArgument(filepath.Dir(from)))
	}
	v, err := files.ReadVantage(from)
	if err != nil && source != byOption {
		return "", v, ended{exitUsage, fmt.Errorf("%s%s: %w", source, from, err)}
	}
	name := strings.TrimSuffix(from[strings.LastIndexAny(from, "/\\")+1:], ".yaml")
	return "vantage " + name, v, err
}
