package stage

import (
	"cmp"
	"crypto/tls"
	"encoding/base64"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"net/netip"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/goccy/go-yaml"
	"github.com/miekg/dns"

	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/problem"
	"upperpath.example/upperpath/internal/core/rule"
	"upperpath.example/upperpath/internal/core/web"
	"upperpath.example/upperpath/internal/files"
)

// SceneName is what the file is called that says what every address serves; the zone files stand
// beside it in zones/, each called after its zone: zones/northmoor.example.zone.
const SceneName = "web.yaml"

// sceneFile is web.yaml.
type sceneFile struct {
	Certificates map[string]certificateEntry         `yaml:"certificates"`
	Addresses    map[string]map[string]endpointEntry `yaml:"addresses"`
	NameServers  map[string]nameServerEntry          `yaml:"name-servers"`
	Resolver     resolverEntry                       `yaml:"resolver"`
	Signed       map[string]signedEntry              `yaml:"signed"`
	Registry     *registryEntry                      `yaml:"registry"`
	Keys         map[string]keyEntry                 `yaml:"keys"`
	Provider     *providerEntry                      `yaml:"provider"`
}

// keyEntry is a key with which name servers take updates.
type keyEntry struct {
	Secret string `yaml:"secret"` // in base64
}

// providerEntry is a provider whose zones are changed over an HTTP interface.
type providerEntry struct {
	Address string   `yaml:"address"`
	Token   string   `yaml:"token"`
	Zones   []string `yaml:"zones"`
}

// nameServerEntry is a name server at an address. It serves zone files of a folder, all of them or
// some.
type nameServerEntry struct {
	Say      string   `yaml:"say"`   // silence, or lame: it answers, but knows no zone
	Zones    string   `yaml:"zones"` // the folder; none: zones
	Only     []string `yaml:"only"`
	Transfer yesNo    `yaml:"transfer"` // it hands out whole zones
	Drops    []string `yaml:"drops"`    // types that it never answers about
	Fails    []string `yaml:"fails"`    // types about which it says SERVFAIL
	Denies   []string `yaml:"denies"`   // types about which it says NXDOMAIN, though the name exists
	NoEDNS   yesNo    `yaml:"no-edns"`  // it says FORMERR to whatever has EDNS
	// answers longer than so many octets end there, and do not say so
	Cuts   int    `yaml:"cuts"`
	Behind uint32 `yaml:"behind"` // by so much its serials are older than those in the files
	Key    string `yaml:"key"`    // of keys: with it the server takes updates
}

// signedEntry says how a zone is signed.
type signedEntry struct {
	From  string `yaml:"from"`  // of the signatures, such as -10d, from now
	Until string `yaml:"until"` // such as 20d, or -2d for stale ones
	DS    string `yaml:"ds"`    // stale or none; else the one that fits
}

// yesNo is a boolean that may be written yes and no, as in the estate file.
type yesNo bool

// UnmarshalYAML reads yes, no, true and false.
func (y *yesNo) UnmarshalYAML(read func(any) error) error {
	var word string
	if err := read(&word); err != nil {
		return err
	}
	switch strings.ToLower(word) {
	case "yes", "true":
		*y = true
	case "no", "false":
		*y = false
	default:
		return fmt.Errorf("%q is neither yes nor no", word)
	}
	return nil
}

// resolverEntry says how the world's resolvers behave.
type resolverEntry struct {
	Remember yesNo   `yaml:"remember"` // they go on giving old answers until their TTL has run out
	Speed    float64 `yaml:"speed"`    // how many times faster than real time TTLs run out
}

// registryEntry is a registry that answers over http (RDAP) at an address.
type registryEntry struct {
	Address string                       `yaml:"address"`
	Domains map[string]registrationEntry `yaml:"domains"`
}

type registrationEntry struct {
	Ends        string   `yaml:"ends"` // such as 20d, from now
	Status      []string `yaml:"status"`
	Registrar   string   `yaml:"registrar"`
	NameServers []string `yaml:"name-servers"`
}

type certificateEntry struct {
	Names        []string `yaml:"names"`
	From         string   `yaml:"from"`         // such as -30d, from now
	Until        string   `yaml:"until"`        // such as 60d, from now
	SignedBy     Signer   `yaml:"signed-by"`    // itself or stranger; else the stage's own authority
	Intermediate string   `yaml:"intermediate"` // left-out: it is not sent
	Signature    string   `yaml:"signature"`    // sha1; else by SHA-256
	RSA          int      `yaml:"rsa"`          // an RSA key of so many bits; else an elliptic one
}

type endpointEntry struct {
	Say string `yaml:"say"` // closed, silence or nowhere, instead of answers
	// the newest version that it speaks, such as "1.1"; else any
	TLS string `yaml:"tls"`
	// it shakes hands only for names that a certificate holds
	Strict       yesNo         `yaml:"strict"`
	Certificates []string      `yaml:"certificates"`
	Answers      []answerEntry `yaml:"answers"`
}

// answerEntry is tried in turn; the first whose hosts and path fit answers.
type answerEntry struct {
	Hosts   []string `yaml:"hosts"`   // none: every host
	Path    string   `yaml:"path"`    // a pattern as in rules.csv; none: /{+rest}
	Paths   []string `yaml:"paths"`   // several of them
	To      string   `yaml:"to"`      // the Location, a template as in rules.csv
	Status  int      `yaml:"status"`  // 301 for a redirect, 200 for a page where none is named
	Query   string   `yaml:"query"`   // drop: not handed on
	Page    string   `yaml:"page"`    // its title
	Text    string   `yaml:"text"`    // plain text instead of a page
	Raw     string   `yaml:"raw"`     // these octets instead of HTTP
	Endless string   `yaml:"endless"` // headers or body
	Literal string   `yaml:"literal"` // the Location to the letter, however wrong
	HTML    string   `yaml:"html"`    // a page to the letter
	Cookie  string   `yaml:"cookie"`  // it answers those alone who bring this cookie
	Agent   string   `yaml:"agent"`   // it answers those alone whose User-Agent holds this

	Headers map[string]string `yaml:"headers"`
}

// FromFolder reads a scene from web.yaml and the zone files beside it. The error is a problem.List
// with every fault.
func FromFolder(folder string, now time.Time) (Scene, error) {
	path := filepath.Join(folder, SceneName)
	data, err := files.Read(path, files.MostConfig)
	if err != nil {
		return Scene{}, problem.List{
			{File: path, Fault: fact.NoScene{}},
		}
	}
	var file sceneFile
	if err := yaml.UnmarshalWithOptions(data, &file, yaml.Strict()); err != nil {
		return Scene{}, problem.List{yamlProblem(path, err)}
	}
	var faults problem.List
	scene := Scene{Now: now, Endpoints: map[netip.AddrPort]*Endpoint{}}
	for address, ports := range file.Addresses {
		for port, entry := range ports {
			at, err := netip.ParseAddrPort(netipJoin(address, port))
			if err != nil {
				faults.Add(
					problem.Problem{File: path, Value: address + " " + port, Fault: fact.SceneAddressPort{}},
				)
				continue
			}
			e, wrong := file.endpoint(entry)
			for _, w := range wrong {
				w.File, w.Value = path, cmp.Or(w.Value, at.String())
				faults.Add(w)
			}
			if e != nil {
				scene.Endpoints[at] = e
			}
		}
	}
	zones, wrong := readZones(filepath.Join(folder, "zones"))
	scene.Zones, scene.Remember, scene.Speed = zones, bool(file.Resolver.Remember), file.Resolver.Speed
	faults = append(faults, wrong...)
	faults = append(faults, file.names(folder, &scene).In(path)...)
	faults = append(faults, file.registry(&scene, now).In(path)...)
	faults = append(faults, file.provider(&scene).In(path)...)
	faults = append(faults, file.signed(&scene).In(path)...)
	return scene, faults.Err()
}

// names puts the name servers into the scene.
func (f sceneFile) names(folder string, scene *Scene) problem.List {
	var faults problem.List
	scene.NameServers = map[netip.Addr]*NameServer{}
	for address, entry := range f.NameServers {
		a, err := netip.ParseAddr(address)
		if err != nil {
			faults.Add(
				problem.Problem{Value: address, Fault: fact.SceneAddress{}},
			)
			continue
		}
		n := &NameServer{Silent: entry.Say == "silence", Refuses: entry.Say == "lame",
			Transfer: bool(entry.Transfer),
			Drops:    entry.Drops, Fails: entry.Fails, Denies: entry.Denies, NoEDNS: bool(entry.NoEDNS),
			Cuts: entry.Cuts, Behind: entry.Behind}
		if entry.Key != "" {
			key, known := f.Keys[entry.Key]
			if _, err := base64.StdEncoding.DecodeString(key.Secret); !known || err != nil ||
				key.Secret == "" {
				faults.Add(problem.Problem{Value: entry.Key, Fault: fact.SceneKey{}})
			}
			n.Key = &UpdateKey{Name: entry.Key, Secret: key.Secret}
		}
		for _, kind := range slices.Concat(entry.Drops, entry.Fails, entry.Denies) {
			if dns.StringToType[kind] == 0 {
				faults.Add(problem.Problem{Value: kind, Fault: fact.SceneType{}})
			}
		}
		if entry.Say != "" && !n.Silent && !n.Refuses {
			faults.Add(
				problem.Problem{Value: entry.Say, Fault: fact.SceneSaysZone{}},
			)
		}
		all := scene.Zones
		if entry.Zones != "" {
			var wrong problem.List
			all, wrong = readZones(filepath.Join(folder, filepath.FromSlash(entry.Zones)))
			faults = append(faults, wrong...)
		}
		for _, z := range all {
			if len(entry.Only) == 0 ||
				slices.ContainsFunc(entry.Only, func(o string) bool { return originOf(o) == z.Origin }) {
				n.Zones = append(n.Zones, z)
			}
		}
		scene.NameServers[a] = n
	}
	return faults
}

// provider puts the provider into the scene whose zones are changed over an HTTP interface.
func (f sceneFile) provider(scene *Scene) problem.List {
	if f.Provider == nil {
		return nil
	}
	a, err := netip.ParseAddr(f.Provider.Address)
	if err != nil {
		return problem.List{{Value: f.Provider.Address, Fault: fact.SceneAddress{}}}
	}
	scene.Provider = &Provider{At: netip.AddrPortFrom(a, 80), Token: f.Provider.Token}
	for _, name := range f.Provider.Zones {
		scene.Provider.Zones = append(scene.Provider.Zones, originOf(name))
	}
	return nil
}

// signed reads which zones are signed, and how.
func (f sceneFile) signed(scene *Scene) problem.List {
	var faults problem.List
	scene.Signed = map[string]Signed{}
	for name, entry := range f.Signed {
		from, fromErr := fromNow(entry.From, -10*day)
		until, untilErr := fromNow(entry.Until, 20*day)
		if err := cmp.Or(fromErr, untilErr); err != nil {
			faults.Add(problem.Problem{Value: name,
				Fault: fact.Kept{Says: err.Error(), Expected: "a time such as -10d or 20d"}})
		}
		if entry.DS != "" && entry.DS != "stale" && entry.DS != "none" {
			faults.Add(problem.Problem{Value: entry.DS, Fault: fact.SceneDS{}})
		}
		scene.Signed[originOf(name)] = Signed{from, until, entry.DS == "stale", entry.DS == "none"}
	}
	return faults
}

func originOf(name string) string {
	h, err := web.ParseObservedHost(name)
	if err != nil {
		return name
	}
	return dns.Fqdn(h.String())
}

// registry puts the registry into the scene: an endpoint that answers as RFC 9083 says.
func (f sceneFile) registry(scene *Scene, now time.Time) problem.List {
	if f.Registry == nil {
		return nil
	}
	a, err := netip.ParseAddr(f.Registry.Address)
	if err != nil {
		return problem.List{
			{Value: f.Registry.Address, Fault: fact.SceneRegistry{}},
		}
	}
	answers := map[string]string{}
	var faults problem.List
	for name, entry := range f.Registry.Domains {
		ends, err := fromNow(entry.Ends, 365*day)
		if err != nil {
			faults.Add(problem.Problem{Value: name,
				Fault: fact.Kept{Says: err.Error(), Expected: "a time such as 200d"}})
		}
		domain := strings.TrimSuffix(originOf(name), ".")
		body := map[string]any{"objectClassName": "domain", "ldhName": domain, "status": entry.Status,
			"events": []any{
				map[string]any{"eventAction": "expiration",
					"eventDate": now.Add(ends).UTC().Format(time.RFC3339)},
			}}
		var servers []any
		for _, n := range entry.NameServers {
			servers = append(servers, map[string]any{"objectClassName": "nameserver", "ldhName": n})
		}
		body["nameservers"] = servers
		if entry.Registrar != "" {
			body["entities"] = []any{
				map[string]any{
					"roles":      []string{"registrar"},
					"vcardArray": []any{"vcard", []any{[]any{"fn", map[string]any{}, "text", entry.Registrar}}},
				},
			}
		}
		text, err := json.Marshal(body)
		if err != nil {
			faults.Add(problem.Problem{Value: name, Fault: fact.Kept{Says: err.Error()}})
		}
		answers["/domain/"+domain] = string(text)
	}
	scene.Endpoints[netip.AddrPortFrom(a, 80)] = &Endpoint{Answer: func(u web.URL) Reply {
		if body, ok := answers[u.Path()]; ok {
			return Reply{Status: 200, Text: body}
		}
		return Reply{Status: 404}
	}}
	return faults
}

func netipJoin(address, port string) string {
	if strings.Contains(address, ":") {
		address = "[" + address + "]"
	}
	return address + ":" + port
}

func yamlProblem(path string, err error) problem.Problem {
	p := problem.Problem{File: path, Fault: fact.NotScene{}}
	var y yaml.Error
	if errors.As(err, &y) {
		p.Fault = fact.NotSceneBecause{Why: y.GetMessage()}
		if t := y.GetToken(); t != nil {
			p.Line, p.Column, p.Value = t.Position.Line, t.Position.Column, t.Value
		}
	}
	return p
}

func (f sceneFile) endpoint(entry endpointEntry) (*Endpoint, problem.List) {
	var faults problem.List
	switch entry.Say {
	case "closed":
		return nil, nil
	case "silence":
		return &Endpoint{Silent: true}, nil
	case "nowhere":
		return &Endpoint{Nowhere: true}, nil
	case "":
	default:
		faults.Add(
			problem.Problem{Value: entry.Say, Fault: fact.SceneSaysDoor{}},
		)
	}
	e := &Endpoint{Strict: bool(entry.Strict)}
	if entry.TLS != "" {
		versions := map[string]uint16{"1.0": tls.VersionTLS10, "1.1": tls.VersionTLS11,
			"1.2": tls.VersionTLS12}
		if e.NewestTLS = versions[entry.TLS]; e.NewestTLS == 0 {
			faults.Add(problem.Problem{Value: entry.TLS, Fault: fact.SceneTLS{}})
		}
	}
	for _, name := range entry.Certificates {
		c, known := f.Certificates[name]
		if !known {
			faults.Add(problem.Problem{Value: name, Fault: fact.SceneCertificate{}})
			continue
		}
		made, err := c.certificate()
		if err != nil {
			faults.Add(problem.Problem{Value: name,
				Fault: fact.Kept{Says: err.Error(), Expected: "a time such as -30d or 60d"}})
		}
		e.Certificates = append(e.Certificates, made)
	}
	var answers []answerer
	for _, a := range entry.Answers {
		made, wrong := a.compile()
		faults = append(faults, wrong...)
		answers = append(answers, made...)
	}
	e.Visit = func(u web.URL, r *http.Request) Reply {
		for _, a := range answers {
			if reply, ok := a.answer(u, r); ok {
				return reply
			}
		}
		return Reply{Status: 404}
	}
	return e, faults
}

func (c certificateEntry) certificate() (Certificate, error) {
	out := Certificate{
		SignedBy: c.SignedBy,
		LeaveOut: c.Intermediate == "left-out",
		SHA1:     c.Signature == "sha1",
		RSA:      c.RSA,
	}
	for _, n := range c.Names {
		h, err := web.ParseObservedHost(n)
		if err != nil {
			out.Names = append(out.Names, n)
			continue
		}
		out.Names = append(out.Names, h.String())
	}
	var err1, err2 error
	out.From, err1 = fromNow(c.From, -30*day)
	out.Until, err2 = fromNow(c.Until, 60*day)
	return out, errors.Join(err1, err2)
}

func fromNow(s string, otherwise time.Duration) (time.Duration, error) {
	if s == "" {
		return otherwise, nil
	}
	if n, err := strconv.Atoi(strings.TrimSuffix(s, "d")); err == nil && strings.HasSuffix(s, "d") {
		return time.Duration(n) * day, nil
	}
	d, err := time.ParseDuration(s)
	if err != nil {
		return 0, fmt.Errorf("%q is not a time", s)
	}
	return d, nil
}

// answerer is one compiled answer. Its rule stands on a host of its own, since an answer can hold
// for every host.
type answerer struct {
	hosts []web.Host
	table *rule.Table
	entry answerEntry
}

var everyHost = web.MustParseHost("every.stage.example")

func (a answerEntry) compile() ([]answerer, problem.List) {
	var hosts []web.Host
	var faults problem.List
	for _, name := range a.Hosts {
		h, err := web.ParseObservedHost(name)
		if err != nil {
			faults.Add(problem.Problem{Value: name, Fault: fact.SceneHost{}})
		}
		hosts = append(hosts, h)
	}
	var all []answerer
	for _, path := range append(a.Paths, a.Path) {
		if path == "" && len(a.Paths) > 0 {
			continue
		}
		row := rule.Row{Old: everyHost.String() + cmp.Or(path, "/{+rest}"), New: a.To, Query: a.Query,
			Status: "410"}
		if a.To != "" {
			row.Status = strconv.Itoa(cmp.Or(a.Status, 301))
		}
		if a.To != "" && !slices.Contains(rule.Statuses, a.Status) && a.Status != 0 {
			row.Status = "301"
		}
		rules, wrong := rule.Parse([]rule.Row{row}, rule.Scope{})
		for i := range wrong {
			wrong[i].Line = 0
		}
		faults = append(faults, wrong...)
		all = append(all, answerer{hosts, rule.Compile(rules, rule.Scope{}), a})
	}
	return all, faults
}

func (a answerer) answer(u web.URL, by *http.Request) (Reply, bool) {
	if len(a.hosts) > 0 && !slices.Contains(a.hosts, u.Host()) {
		return Reply{}, false
	}
	if _, err := by.Cookie(a.entry.Cookie); a.entry.Cookie != "" && err != nil {
		return Reply{}, false
	}
	if !strings.Contains(by.UserAgent(), a.entry.Agent) {
		return Reply{}, false
	}
	m, ok := a.table.Lookup(u.At(web.Door{Scheme: u.Scheme(), Host: everyHost}))
	if !ok {
		return Reply{}, false
	}
	r := Reply{
		Status:  cmp.Or(a.entry.Status, 200),
		Title:   a.entry.Page,
		Text:    a.entry.Text,
		Raw:     a.entry.Raw,
		Endless: a.entry.Endless,
		HTML:    a.entry.HTML,
		Headers: a.entry.Headers,
	}
	switch {
	case a.entry.To != "":
		r.Location, r.Status = m.Location(u.Door()), cmp.Or(a.entry.Status, 301)
	case a.entry.Literal != "":
		r.Location, r.Status = a.entry.Literal, cmp.Or(a.entry.Status, 301)
	}
	return r, true
}

// readZones reads every zone file (RFC 1035 section 5) of a folder; $INCLUDE is refused.
func readZones(folder string) ([]Zone, problem.List) {
	var faults problem.List
	var zones []Zone
	paths, _ := filepath.Glob(filepath.Join(folder, "*.zone"))
	if len(paths) == 0 {
		faults.Add(
			problem.Problem{File: folder, Fault: fact.SceneNoZones{}},
		)
	}
	for _, path := range paths {
		data, err := files.Read(path, files.MostConfig)
		if err != nil {
			faults.Add(problem.Problem{File: path, Fault: fact.SceneZoneUnread{}})
			continue
		}
		origin, err := web.ParseObservedHost(strings.TrimSuffix(filepath.Base(path), ".zone"))
		if err != nil {
			faults.Add(
				problem.Problem{File: path, Fault: fact.SceneZoneName{}},
			)
			continue
		}
		parser := dns.NewZoneParser(strings.NewReader(string(data)), dns.Fqdn(origin.String()), path)
		zone := Zone{Origin: dns.Fqdn(origin.String())}
		for rr, ok := parser.Next(); ok; rr, ok = parser.Next() {
			zone.Records = append(zone.Records, rr)
		}
		zones = append(zones, zone)
		if err := parser.Err(); err != nil {
			faults.Add(problem.Problem{File: path,
				Fault: fact.Kept{Says: err.Error(), Expected: "a record of RFC 1035 section 5"}})
		}
	}
	return zones, faults
}
