// Package servers writes doors as configuration for real web servers, a file a server and a row in
// the table. It works nothing out: what each door answers comes from predict; here it is only said
// in a server's own language, exactly or not at all. Redirects that a server has already are read
// by package imports, which shares nothing with this one, so that neither repeats the other's
// mistake.
//
//	w, _ := servers.WriterOf("nginx")
//	out, err := w.Write(web.Held("gateway"), servers.Options{})
//	out.Files    // an include file for nginx
//	out.Findings // what it cannot carry exactly
//
// # How rules are written
//
// blocksOf puts doors that answer alike into one server block and gives the tables that they need;
// sortOut parts the rules of a table into whole paths that can be looked up and those that are
// tried one by one. The latter are parted by how their paths begin, so that a request meets only a
// few: branchesOf finds, for each crowd of patterns, the number of segments or of octets that tells
// most of them apart, and nginx looks that up in a map; bucketsOf parts them octet by octet, and
// Apache skips the half that a path cannot be in. What stands above and comes before the last
// pattern of a branch is in the branch too: so the order of all stays right. Paths in normal form
// meet patterns as they are read; only what is needlessly escaped meets them with every octet
// spelled out.
//
// Many exact rules of one path (index.php?id=N) stand under the one condition that the fewest
// others have (rule/chain.go), and so do patterns that end alike; which rules may tie or meet is
// found by what all of their URLs have in common (rule/rivals.go), so that nothing compares each
// with each. servers/check.go has the server itself read a trial in a folder of its own.
//
// In nginx everything is a map that leads to the target itself, and a server has one location
// beside its exempt paths. That was measured: for each request nginx clears every variable that the
// file names, and touches the settings of each location and if that it enters, which cost more than
// the expressions. In Apache plain paths meet one directive a rule; what is percent-encoded takes
// another way, by the request line. A folder's file is parted by nothing, since reading a line
// costs more than trying it.
//
// In HAProxy a frontend finds by the door which backend answers, and a backend looks paths up in
// tables: whole ones in a tree, patterns in a list that is tried. Where there are many, the
// frontend finds by how the path begins which of several backends is meant, each with its few
// patterns. What stands in a table is a status with the way in which the target is put together,
// and the target; so that a backend has one redirect for each such way. Paths are brought into
// normal form by converters; patterns see odd ones as they came. In Caddy a site compares the path
// with one map, line by line; its expressions (RE2) know no "not this", so that all else is said.
//
// Suppose old.example/a leads to /visit/, old.example/item/{id:digits} to /objects/{id}/, and
// everything else to the site's home. In nginx that is three maps behind each other, each the
// default of the one before: $up_2p2 has the whole path "/a" with its target, $up_2p1 the pattern
// "~^/item/(?<up_c1>[0-9]+)$", and what neither takes is led home by the server's one location. A
// path that is spelt otherwise, such as /%69tem/7, is in $up_odd, where the same pattern stands
// once more with every octet spelt out.
package servers

import (
	"fmt"
	"net/url"
	"strconv"
	"strings"
	"unicode/utf8"

	"upperpath.example/upperpath/internal/core/estate"
	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/predict"
	"upperpath.example/upperpath/internal/core/problem"
)

// Writer is a row of the table of servers for which configuration is written.
type Writer struct {
	Name    string // of the command, and of the folder where nobody names another
	Title   string // of the server, with the versions that are meant
	About   string // what is made, in sentences
	Comment string // how a comment begins
	Options Options
	Forms   []Form // other forms beside the first
	Steps   []string
	Checker Checker
	// what stands beside each other in DOMAIN.pem, and not in DOMAIN.crt and DOMAIN.key
	KeyWithCertificate bool
	ByAddress          bool     // exempt paths are answered, and requests logged, at an address
	bars               []string // what no name of a folder may hold
	write              func(predictedDoors, Options) (Output, error)
}

// Form is another form of configuration of the same server, chosen by an option of its name.
type Form struct {
	Name, Usage string
	Without     []string // options that say nothing in it
}

// Options says how the files fit into a server.
type Options struct {
	// what http and https doors listen on; empty: ports 80 and 443 of every address
	HTTP, HTTPS  []string
	Certificates string // folder: for each domain DOMAIN.crt with the whole chain, and DOMAIN.key
	Challenges   string // folder from which exempt paths are answered
	Place        string // folder on the server in which the files will lie
	Form         string // the name of a form; "" for the first
	Beside       bool   // another file of the server listens there and answers unknown hosts
	Log          string // file for the requests of these hosts; "": the server's own
}

// remembered is said of taking redirects back.
const remembered = "browsers that came meanwhile keep a 301 or 308 for as long as they like: " +
	"have pages where it leads, or lead from there back with 302"

// Output is a configuration and what it does not say exactly.
type Output struct {
	Files    []File
	Findings []finding.Finding
	Doors    int
	Steps    []string // how to put it in place, in order
	Undo     []string // how to take it back
}

// File is one file to be written.
type File struct {
	Name string
	Text []byte
}

type predictedDoors []predict.Treatment

// written holds the writers by their names. Each server's file adds its own row.
var written = map[string]Writer{}

func add(w Writer) Writer {
	written[w.Name] = w
	return w
}

// Writers returns the table, in the order in which the estate names servers.
func Writers() []Writer {
	var all []Writer
	for _, name := range estate.Software() {
		all = append(all, written[name])
	}
	return all
}

// WriterOf returns the row of a server; false where none is called so.
func WriterOf(name string) (Writer, bool) {
	w, known := written[name]
	return w, known
}

// Write writes doors as a carrier itself is asked for them (predict's Web.Held gives them). What a
// field of theirs says is in the files, or a finding (beyond-carrier) names what is not. The error
// says why nothing is written: while rules are tied, no order of theirs is right.
func (w Writer) Write(doors []predict.Treatment, o Options) (Output, error) {
	if err := tied(doors); err != nil {
		return Output{}, err
	}
	if err := w.Refuses(o); err != nil {
		return Output{}, err
	}
	return w.write(doors, o.or(w.Options))
}

// Refuses says which option no configuration file of the server can hold.
func (w Writer) Refuses(o Options) error {
	for _, folder := range []string{o.Certificates, o.Challenges, o.Place, o.Log} {
		if i := strings.IndexFunc(folder, problem.Hostile); i >= 0 {
			r, _ := utf8.DecodeRuneInString(folder[i:])
			return fmt.Errorf("%q: the folder's name contains %s; expected a name without it", folder,
				fact.Text(problem.Named(r)))
		}
		for _, bars := range w.bars {
			if strings.Contains(folder, bars) {
				return fmt.Errorf("%q: the folder's name contains %s, which %s does not read as a part of a "+
					"name; expected a name without it", folder, bars, w.Title)
			}
		}
	}
	if w.ByAddress && o.Challenges != "" {
		if err := addressOf(o.Challenges); err != nil {
			return fmt.Errorf("--challenges %w", err)
		}
	}
	return nil
}

func tied(doors []predict.Treatment) error {
	for _, f := range predict.Ties(doors) {
		return fmt.Errorf("tied rules, which no server can hold together: %s %s", f.Says, f.Fix)
	}
	return nil
}

// or puts others where nothing is said.
func (o Options) or(others Options) Options {
	if len(o.HTTP) == 0 {
		o.HTTP = others.HTTP
	}
	if len(o.HTTPS) == 0 {
		o.HTTPS = others.HTTPS
	}
	for to, other := range map[*string]string{&o.Certificates: others.Certificates,
		&o.Challenges: others.Challenges,
		&o.Place:      others.Place} {
		if *to == "" {
			*to = other
		}
	}
	return o
}

// ParseListen reads "http=ADDR:PORT" and "https=ADDR:PORT", each address once. The error names what
// was expected.
func ParseListen(values []string) (o Options, err error) {
	said := map[string]string{}
	for _, v := range values {
		scheme, at, _ := strings.Cut(v, "=")
		u, parseErr := url.Parse("//" + at)
		if parseErr != nil || u.Port() == "" || u.Hostname() == "" || u.Host != at ||
			strings.ContainsAny(at, " ;\"'\\${}<>#%") || scheme != "http" && scheme != "https" {
			return o, fmt.Errorf("--listen %s: expected http=ADDRESS:PORT or https=ADDRESS:PORT, such as "+
				"http=127.0.0.1:8080; * is every address", v)
		}
		if port, err := strconv.ParseUint(u.Port(), 10, 16); err != nil || port == 0 {
			return o, fmt.Errorf("--listen %s: the port is not between 1 and 65535", v)
		}
		if before, again := said[strings.ToLower(at)]; again {
			return o,
				fmt.Errorf("--listen %s: the address is already named by --listen %s; expected each address "+
					"once", v,
					before)
		}
		said[strings.ToLower(at)] = v
		if scheme == "http" {
			o.HTTP = append(o.HTTP, at)
		} else {
			o.HTTPS = append(o.HTTPS, at)
		}
	}
	return o, nil
}

// beyond says that a server cannot hold a rule.
func beyond(server, place, old, why string, line int) finding.Finding {
	return finding.New(finding.BeyondCarrier, place, fact.ServerCannot{Server: server, Place: place,
		Old: old, Why: fact.Kept{Says: why}, Line: line})
}

// mostComment is how long a comment may be, in octets: nginx refuses one that its buffer of 4 KiB
// does not hold.
const mostComment = 500

// linesText names rules by their lines, the first of many.
func linesText(lines []int) string {
	const most = 8
	var all []string
	for _, n := range lines[:min(len(lines), most)] {
		all = append(all, strconv.Itoa(n))
	}
	if more := len(lines) - most; more > 0 {
		return fmt.Sprintf("%s and %d more", strings.Join(all, ", "), more)
	}
	return strings.Join(all, ", ")
}

// commentSafe keeps a text on its comment line.
func commentSafe(s string) string {
	if len(s) > mostComment {
		s = strings.ToValidUTF8(s[:mostComment], "") + "..."
	}
	s = strings.Map(func(r rune) rune {
		if problem.Hostile(r) {
			return ' '
		}
		return r
	}, s)
	if strings.HasSuffix(s, `\`) { // some servers go on in the next line behind it
		s += "."
	}
	return s
}
