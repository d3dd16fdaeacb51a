package words

import (
	"flag"
	"fmt"
	"go/ast"
	"go/parser"
	"go/token"
	"maps"
	"os"
	"path/filepath"
	"reflect"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"upperpath.example/upperpath/internal/core/act"
	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/zone"
	"upperpath.example/upperpath/internal/doc"
)

var update = flag.Bool("update", false, "write the list of all sentences")

// list is where all sentences stand, one a line, for people to read through.
const list = "testdata/sentences.txt"

// filled are facts of the demo for fields, by their names: of one type, or of all.
var filled = map[string]any{
	"Coding":                     "compress",
	"PairID.ID":                  "4711",
	"PairLastWords.Words":        "school-visits",
	"PairWords.Words":            []string{"school", "visits"},
	"PairAlike.Old":              "exibition",
	"PairAlike.New":              "exhibition",
	"PairSection.From":           "news",
	"PairSection.To":             "stories",
	"DecisionWord.Near":          "section",
	"Flawed":                     "Northmoor Client",
	"Robots":                     []string{"googlebot", "bingbot"},
	"Changes":                    []string{"record-changed", "delegation-changed"},
	"Host":                       "www.lacemill-museum.example",
	"Name":                       "lacemill-museum.example",
	"Domain":                     "lacemill-museum.example",
	"Type":                       "CNAME",
	"Carrier":                    "gateway",
	"Network":                    "edge",
	"Answer":                     "it refuses",
	"Send":                       "update",
	"SentOutcome.Outcome":        "delivered",
	"URL":                        "http://lacemill-museum.example/visit.html",
	"Zone":                       "lacemill-museum.example",
	"Door":                       "http://www.lacemill-museum.example",
	"Why":                        "198.51.100.34:443 refuses the connection",
	"Server":                     "ns1.registrar-a.example",
	"Target":                     "https://www.northmoor.example/visit/",
	"Arrival":                    "https://www.northmoor.example/",
	"Address":                    "192.0.2.20",
	"What":                       "the alias",
	"Needs":                      "claim",
	"Unseen":                     []string{"slatequarry.example", "ferryhouse.example"},
	"Partly":                     []string{"northmoor.example", "lacemill-museum.example"},
	"Own":                        []string{"ns1.edge.example", "ns2.edge.example"},
	"To":                         "mail.northmoor.example",
	"Detail":                     "192.0.2.20:443 refuses the connection",
	"Kind":                       "SPF",
	"Apex":                       "slatequarry.example",
	"From":                       "ns1.old-host.example",
	"Title":                      "Page not found",
	"Text":                       "-- not text --",
	"At":                         "ns1.registrar-a.example",
	"Row":                        "line 7",
	"Column":                     "old",
	"Alias":                      "shared-host.example",
	"First":                      "192.0.2.20",
	"Whom":                       "all search engines",
	"OldsBarred.Robots":          "http://lacemill-museum.example/robots.txt",
	"OldsBarredByFailure.Robots": "http://lacemill-museum.example/robots.txt",
	"ArrivalsBarred.Robots":      "https://www.northmoor.example/robots.txt",
	"SiteBarredByFailure.Robots": "https://www.northmoor.example/robots.txt",
	"OldsBarredByFailure.Status": 503,
	"SiteBarredByFailure.Status": 503,
	"LinkedFrom.Target":          "http://lacemill-museum.example/opening.html",
	"AlternateOld.Target":        "http://lacemill-museum.example/nl/",
	"LinkedFrom.Dead":            404,
	"LinkedFrom.Element":         "a",
	"LinkedFrom.Now":             "https://www.northmoor.example/visit/opening-hours/",
	"AlternateOld.Now":           "https://www.northmoor.example/nl/",
	"ListsMoved.To":              "https://www.northmoor.example/learn/schools/",
	"OldSitemapEnds.To":          "https://www.northmoor.example/sitemap.xml",
	"ArrivalRedirects.To":        "https://www.northmoor.example/visit/hours/",
	"NamesMoved.To":              "https://www.northmoor.example/visit/hours/",
	"NamesMoved.Other":           "https://www.northmoor.example/visit/times/",
	"NamesDead.Other":            "https://www.northmoor.example/visit/times/",
	"NamesAnother.Other":         "https://www.northmoor.example/visit/times/",
	"NamesInTurn.Other":          "https://www.northmoor.example/visit/times/",
	"NamesOld.Other":             "http://lacemill-museum.example/visit.html",
	"NamesInTurn.Next":           "https://www.northmoor.example/visit/",
	"PolicyCovers.From":          when,
	"PolicyLocksOut.From":        when,
	"PolicyCovers.Hosts": []string{"click.lacemill-museum.example",
		"mail.lacemill-museum.example"},
	"HSTSNotSent.Planned":   "max-age=604800",
	"HSTSOtherwise.Planned": "max-age=604800",
	"Slipped.Meant":         "203.0.113.20",
	"Slipped.Typed":         "203.0.113.21",
	"NotTakenYet.Values":    "192.0.2.40",
	"NotTakenYet.Has":       "ns1.registrar-a.example (198.51.100.53)",
	"Slipped.Subject":       "lacemill-museum.example A",
	"NotTakenYet.Place":     "ns2.registrar-a.example (198.51.100.54)",
	"ArrivalLoops.First":    "http://lacemill-museum.example/schools/",
	"ArrivalSaysNone.First": "http://lacemill-museum.example/schools/",
	"Except":                []string{"googlebot", "bingbot"},
	"Named":                 "http://lacemill-museum.example/",
	"Serves":                "text/html",
	"Feed":                  "http://lacemill-museum.example/feed.xml",

	"Site":                     "https://www.northmoor.example",
	"OldsBarred.When":          "today and after the move",
	"OldsBarredByFailure.When": "after the move",
	"ArrivalHidden.How":        "its robots element says noindex",
	"RobotsNamed.Named":        []string{"bingbot"},
	"OldsBarred.Rule":          "Disallow: /schools/",
	"ArrivalsBarred.Rule":      "Disallow: /learn/",
	"ListsBarred.Rule":         "Disallow: /learn/",
	"ArrivesAsOther.Kind":      "picture",
	"OldSitemapEnds.Sitemap":   "http://lacemill-museum.example/sitemap.xml",
	"ArrivalsBarred.First":     "https://www.northmoor.example/learn/",
	"ListsHidden.First":        "https://www.northmoor.example/learn/",
	"ListsMoved.First":         "https://www.northmoor.example/learn/",
	"ListsDead.First":          "https://www.northmoor.example/learn/",
	"ListsBarred.First":        "https://www.northmoor.example/learn/",
	"ListsOld.First":           "https://www.northmoor.example/learn/",
	"NotInSitemap.Pages": []string{"https://www.northmoor.example/visit/",
		"https://www.northmoor.example/learn/"},
	"ArrivesAsOther.First":      "http://lacemill-museum.example/schools/",
	"ArrivalRedirects.First":    "http://lacemill-museum.example/schools/",
	"ArrivalFails.First":        "http://lacemill-museum.example/schools/",
	"ArrivalHidden.First":       "http://lacemill-museum.example/schools/",
	"OldsBarredByFailure.First": "http://lacemill-museum.example/schools/",
	"OldsBarred.First":          "http://lacemill-museum.example/schools/",
	"Code":                      "path-lost",
	"Value":                     "203.0.113.20",
	"By":                        "192.0.2.20",
	"Near":                      "www.northmoor.example",
	"Place":                     "line 4",
	"Other":                     "shared-host.example",
	"Entry":                     "http://lacemill-museum.example/",
	"Kinds":                     "server, form, platform, edge",
	"Old":                       "lacemill-museum.example/visit.html",
	"Page":                      "https://www.northmoor.example/visit/",
	"Before":                    "192.0.2.20",
	"Header":                    "Location",
	"Asked":                     "www.lacemill-museum.example",
	"Line":                      "RewriteRule",
	"Issuer":                    "Upper Path Test Authority",
	"Schema":                    "upperpath/audit/1",
	"Refusal":                   "refuses the connection",
	"Rules":                     "rules line 7",
	"Platform":                  "platform",
	"After":                     "203.0.113.20",
	"Rule":                      "rules line 9",
	"Term":                      "mx",
	"Label":                     "www",
	"End":                       "loop",
	"Parent":                    "example",
	"Above":                     "example",
	"Path":                      "/visit.html",
	"Planned":                   "https://www.northmoor.example/visit/",
	"Witness":                   "https://lacemill-museum.example/visit.html",
	"FirstOld":                  "lacemill-museum.example/visit.html",
	"SecondOld":                 "lacemill-museum.example/{page}.html",
	"Key":                       "carrier",
	"Shown":                     "192.0.2.20",
	"Origin":                    "203.0.113.10",
	"Behind":                    "edge",
	"Record":                    "_dmarc TXT",
	"Choices":                   "redirect, home, gone",
	"Choice":                    "fallbak",
	"New":                       "https://www.northmoor.example/visit/",
	"Delegated":                 "ns1.old-host.example",
	"Follows":                   "www.lacemill-museum.example",
	"Escaped":                   "%2F",
	"Write":                     "/visit/",
	"Type2":                     "A",
	"Canonical":                 "https://www.northmoor.example",
	"Through":                   "203.0.113.80:8080",
	"CoveredBy":                 "*.lacemill-museum.example",
	"Www":                       "www.lacemill-museum.example",
	"WWW":                       "www.lacemill-museum.example",
	"Sitemap":                   "https://www.northmoor.example/sitemap.xml",
	"Next":                      "https://www.northmoor.example/",
	"Framed":                    "http://www.northmoor.example/lacemill/",
	"Element":                   "meta",
	"Location":                  "https://www.northmoor.example/",
	"BackTo":                    "http://lacemill-museum.example/",
	"Root":                      "https://www.northmoor.example/",
	"Query":                     "?id=7",
	"Does":                      "shows a page",
	"RetryIn":                   "120 s",
	"Fresh":                     "3600 s",
	"Says":                      "REFUSED",
	"DS":                        "DS 12345 13 2",
	"Subject":                   "https://lacemill-museum.example",
	"Flag":                      "--only",
	"LeadsTo":                   "https://www.northmoor.example/lacemill/",
	"Keys":                      "name, carrier, hosts",
	"May":                       "registrar",
	"Tag":                       "!!int",
	"Twin":                      "https://lacemill-museum.example",
	"How":                       "by name",
	"Met":                       "a wrong page",
	"About":                     "www.lacemill-museum.example",
	"Who":                       "the mail service",
	"Leads":                     "https://www.northmoor.example/",
	"Columns":                   "old, new, status",
	"Sheet":                     "edge.entries.csv",
	"Anchor":                    "a1",
	"State":                     "moved",
	"Plain":                     "www.lacemill-museum.example",
	"Starts":                    "v=spf1",
	"RFC":                       "RFC 7208",
	"MX":                        "mail.northmoor.example",
	"Fault":                     "it is empty",
	"Certificate":               "for shared-host.example",
	"Advice":                    "Wait some minutes",
	"Left":                      "3 minutes",
	"For":                       "24 hours",
	"Ends":                      "expired on 2026-10-30",
	"Complaint":                 "it has two colons",
	"ApexBy":                    "192.0.2.20",
	"WWWBy":                     "192.0.2.30",
	"Secure":                    "redirects to https",
	"Allowed":                   "the characters a to z",
	"Reason":                    "the platform is full",
	"Character":                 "the control character U+001B",
	"Capture":                   "{page}",
	"Values":                    []string{"192.0.2.20", "192.0.2.30", "192.0.2.40"},
	"Wanted":                    []string{"203.0.113.20", "203.0.113.21"},
	"There":                     []string{"198.51.100.34", "192.0.2.20"},
	"Names": []string{
		"lacemill-museum.example",
		"slatequarry.example",
		"ferryhouse.example",
	},
	"Also": []string{"expired", "not trusted"},
	"URLs": []string{
		"http://lacemill-museum.example/a",
		"http://lacemill-museum.example/b",
		"http://lacemill-museum.example/c",
	},
	"Addresses": []string{"192.0.2.40", "192.0.2.77"},
	"Servers":   []string{"ns1.registrar-a.example", "ns2.registrar-a.example"},
	"Hosts": []string{
		"lacemill-museum.example",
		"www.lacemill-museum.example",
	},
	"Instead": []string{"203.0.113.20", "203.0.113.21"},
	"Aliases": []string{
		"www.lacemill-museum.example",
		"mill.lacemill-museum.example",
	},
	"Circle": []string{
		"a.lacemill-museum.example",
		"b.lacemill-museum.example",
	},
	"Others": []string{"TXT", "MX"},
	"Beside": []string{"A", "MX"},
	"Subjects": []string{
		"https://lacemill-museum.example",
		"https://www.lacemill-museum.example",
	},
	"Paths":       []string{"/.well-known/", "/robots.txt"},
	"Issuers":     []string{"ca.example", "tests.example"},
	"Known":       []string{"old", "new", "status"},
	"Needed":      []string{"old", "new"},
	"Now":         []string{"192.0.2.20", "192.0.2.30"},
	"Stray":       []string{"192.0.2.40", "192.0.2.77"},
	"Weak":        []string{"TLS 1.0", "TLS 1.1"},
	"NameServers": []string{"ns1.registrar-a.example", "ns2.registrar-a.example"},
	"Glue":        []string{"192.0.2.53", "192.0.2.54"},
	"Doors": []string{
		"http://lacemill-museum.example",
		"https://slatequarry.example",
	},
	"Status":   404,
	"Hints":    []string{"192.0.2.20", "192.0.2.30"},
	"Listed":   []string{"ca.example", "tests.example"},
	"Carriers": []string{"gateway", "edge"},
	"Links": []string{
		"http://lacemill-museum.example/a",
		"http://lacemill-museum.example/b",
	},
	"OtherLocations": []string{
		"https://www.northmoor.example/a",
		"https://www.northmoor.example/b",
	},
	"Locks": []string{
		"client transfer prohibited",
		"server transfer prohibited",
	},
	"Records": []string{"www CNAME", "@ MX"},
	"Untied": []string{
		"mail.lacemill-museum.example A 192.0.2.60",
		"MX 10 mail.lacemill-museum.example.",
	},
	"Evidence":  []string{"an MX record", "an SPF record"},
	"Missing":   []string{"www A", "@ MX"},
	"Resolvers": []string{"192.0.2.53", "192.0.2.54"},
	"Heaviest": []string{
		"http://lacemill-museum.example/a",
		"http://lacemill-museum.example/b",
	},
	"Parts":        []string{"a script", "a stylesheet"},
	"Registration": []string{"ns1.registrar-a.example", "ns2.registrar-a.example"},
	"Ways":         []string{"rules line 4", "rules line 9"},
	"Costs":        []string{"include:mail.example 4", "a 1"},
	"Senders":      []string{"192.0.2.60", "192.0.2.61"},
	"Typed":        []string{"*lacemill-museum.example/*", "*/*"},
	"More": []string{
		"www.lacemill-museum.example",
		"shop.lacemill-museum.example",
	},
	"Types":    []string{"A", "AAAA", "CNAME"},
	"Serials":  []string{"2025031401", "2025031400"},
	"Visitors": []string{"a browser", "a robot"},
	"Words":    []string{"gone", "home", "same-path"},
	"Lines": []string{
		"lacemill-museum.example/a,/1",
		"lacemill-museum.example/b,/2",
	},
	"SPFTermDepends.Below":     "lacemill-museum.example",
	"TermTakesBroken.Fault":    "names no domain",
	"Mistyped.Meant":           "www.northmoor.example",
	"EndingUnknown.Ending":     "exmaple",
	"IssuerKeptOut.Critical":   []string{"tbs"},
	"MailByChance.Preference":  "10",
	"SPFTerm.Fault":            "names no domain",
	"NotListed.How":            "its robots element says noindex",
	"SentOnByPage.How":         "its markup (meta refresh)",
	"LocationBroken.Complaint": "it names no Location",
	"LocationOdd.How":          "it has a backslash",
	"RuleTwins.Twin":           "https://lacemill-museum.example/visit.html",
	"TypedOtherwise.What":      "shows it in a frame",
	"NothingTells.What":        "how to ask its origin",
	"AddressDoes.Does":         "shows a page",
	"NotMapping.Kind":          "a list",
	"NotSingle.Kind":           "a mapping",
	"Needed.Kind":              "a list",
	"SitemapLinks.Links":       []string{"http://lacemill-museum.example/a"},
	"Proxy":                    "x",
	"ServerFails.Does":         "does not answer for it",
	"SPFOpen.Term":             "+all",
	"TTL":                      3600,
	"Octets":                   600,
	"Seconds":                  3600,
	"Lookups":                  12,
	"Most":                     10,
	"Locked.Status": []string{
		"client transfer prohibited",
		"server transfer prohibited",
	},
	"HeldByRegistry.Status": []string{"client hold", "server hold"},
	"GivesLonger.Values":    "192.0.2.20",
	"GivesOld.Values":       "192.0.2.20",
}

// familyNames are what the parts of the list are called, in the order of the families.
var familyNames = []string{
	"reaching", "certificates", "chains", "destinations", "memory", "content",
	"records", "mail", "registration", "rules", "search engines", "pairs", "plan", "checks",
	"what is kept", "what is sent",
	"input", "the estate file", "files",
}

// when is the day of what is sampled.
var when = time.Date(2026, 11, 1, 12, 0, 0, 0, time.UTC)

// sample gives a value for a field: few where it counts or lists, or many.
func sample(t *testing.T, of reflect.Type, f reflect.StructField, many bool) reflect.Value {
	t.Helper()
	known, ok := filled[of.Name()+"."+f.Name]
	if !ok {
		known = filled[f.Name]
	}
	v := reflect.New(f.Type).Elem()
	pick := func(all []string) []string {
		if many {
			return all
		}
		return all[:1]
	}
	switch x := known.(type) {
	case []string:
		if f.Type.Kind() == reflect.Slice && f.Type.Elem().Kind() == reflect.String {
			return reflect.ValueOf(pick(x))
		}
		if f.Type.Kind() == reflect.String {
			v.SetString(x[0])
			return v
		}
	case string:
		switch {
		case f.Type.Kind() == reflect.String:
			v.SetString(x)
			return v
		case f.Type.Kind() == reflect.Interface:
			return reflect.ValueOf(fact.Kept{Says: x, Do: "Wait."})
		case f.Type == reflect.TypeFor[[]string]():
			return reflect.ValueOf([]string{x})
		}
	case int:
		switch f.Type.Kind() {
		case reflect.Int, reflect.Int64:
			v.SetInt(int64(x))
			return v
		}
	}
	switch {
	case f.Type == reflect.TypeFor[time.Duration]():
		v.SetInt(int64(30 * 24 * time.Hour))
	case f.Type == reflect.TypeFor[time.Time]():
		return reflect.ValueOf(when)
	case f.Type.Kind() == reflect.Int, f.Type.Kind() == reflect.Int64:
		v.SetInt(1)
		if many {
			v.SetInt(3)
		}
	case f.Type.Kind() == reflect.Bool:
		v.SetBool(true)
	case f.Type == reflect.TypeFor[[]int]():
		return reflect.ValueOf([]int{4, 7, 9}[:map[bool]int{false: 1, true: 3}[many]])
	case f.Type == reflect.TypeFor[[]fact.Facts]():
		said := []fact.Facts{fact.Kept{Says: "192.0.2.40 refuses the connection"},
			fact.Kept{Says: "192.0.2.77 shows a page"}}
		return reflect.ValueOf(said[:map[bool]int{false: 1, true: 2}[many]])
	default:
		t.Errorf("fact.%s.%s (%s) has no sample: add one to the table filled", of.Name(), f.Name,
			f.Type)
	}
	return v
}

// choices reads, for each kind of facts, on which values of which fields its sentence depends.
func choices(t *testing.T) map[string]map[string][]string {
	t.Helper()
	all := map[string]map[string][]string{}
	files, err := filepath.Glob("*.go")
	require.NoError(t, err)
	for _, path := range files {
		if strings.HasSuffix(path, "_test.go") {
			continue
		}
		file, err := parser.ParseFile(token.NewFileSet(), path, nil, 0)
		require.NoError(t, err)
		ast.Inspect(file, func(n ast.Node) bool {
			lit, ok := n.(*ast.FuncLit)
			if !ok || len(lit.Type.Params.List) != 1 {
				return true
			}
			of, ok := lit.Type.Params.List[0].Type.(*ast.SelectorExpr)
			if ok && fmt.Sprint(of.X) == "fact" {
				all[of.Sel.Name] = choicesOf(lit.Body)
			}
			return true
		})
	}
	return all
}

// choicesOf gives the values that a sentence compares its fields with; "" is none of them, which is
// a choice too.
func choicesOf(body ast.Node) map[string][]string {
	of := map[string][]string{}
	field := func(e ast.Expr) string {
		if s, ok := e.(*ast.SelectorExpr); ok {
			if x, ok := s.X.(*ast.Ident); ok && x.Name == "f" {
				return s.Sel.Name
			}
		}
		return ""
	}
	literal := func(e ast.Expr) string {
		if l, ok := e.(*ast.BasicLit); ok {
			if text, err := strconv.Unquote(l.Value); err == nil {
				return text
			}
			return l.Value
		}
		return ""
	}
	ast.Inspect(body, func(n ast.Node) bool {
		switch n := n.(type) {
		case *ast.BinaryExpr:
			for _, side := range [][2]ast.Expr{{n.X, n.Y}, {n.Y, n.X}} {
				if f := field(side[0]); f != "" {
					of[f] = append(of[f], literal(side[1]), "")
				}
			}
		case *ast.SwitchStmt:
			if f := field(n.Tag); n.Tag != nil && f != "" {
				for _, c := range n.Body.List {
					for _, e := range c.(*ast.CaseClause).List {
						of[f] = append(of[f], literal(e))
					}
				}
			}
		case *ast.SelectorExpr:
			if f := field(n); f != "" {
				of[f] = append(of[f], "")
			}
		}
		return true
	})
	return of
}

// variants gives facts of one kind: of one thing and of many, and with every value that its
// sentence looks at.
func variants(t *testing.T, of reflect.Type, by map[string][]string) []fact.Facts {
	t.Helper()
	var all []fact.Facts
	for _, many := range []bool{false, true} {
		v := reflect.New(of).Elem()
		for i := range of.NumField() {
			v.Field(i).Set(sample(t, of, of.Field(i), many))
		}
		all = append(all, v.Interface())
		for _, name := range slices.Sorted(maps.Keys(by)) {
			for _, value := range slices.Compact(slices.Sorted(slices.Values(by[name]))) {
				other := reflect.New(of).Elem()
				other.Set(v)
				f := other.FieldByName(name)
				if !f.IsValid() {
					continue
				}
				f.SetZero()
				n, err := strconv.Atoi(value)
				switch {
				case f.Kind() == reflect.String:
					f.SetString(value)
				case f.CanInt() && err == nil:
					f.SetInt(int64(n))
				}
				all = append(all, other.Interface())
			}
		}
	}
	return all
}

// everySentence lists what the program can say, a family after the other.
func everySentence(t *testing.T) []string {
	t.Helper()
	var all []string
	seen := map[string]bool{}
	part := func(title string) { all = append(all, "", "# "+title, "") }
	add := func(text string) {
		text = doc.Unmarked(text)
		if strings.TrimSpace(text) != "" && !seen[text] {
			seen[text] = true
			all = append(all, text)
		}
	}
	depends := choices(t)
	for i, family := range families {
		part(familyNames[i])
		for _, s := range family {
			for _, f := range variants(t, s.of, depends[s.of.Name()]) {
				said := fact.Say(f)
				add(said.Says)
				if said.Expected != "" {
					add("    expected: " + said.Expected)
				}
				if said.Do != "" {
					add("    → " + said.Do)
				}
			}
		}
		if i < len(meanings) {
			for _, c := range slices.Sorted(maps.Keys(meanings[i])) {
				m := meanings[i][c]
				for _, text := range []string{m.Plain, m.Means, m.Meets, m.Do, m.Milder, m.Graver} {
					if text != "" {
						add(c.String() + ": " + text)
					}
				}
			}
		}
	}
	part("causes")
	for _, k := range finding.Causes() {
		m := Cause(k.Cause)
		for _, text := range []string{m.Means, m.Shows, m.Do} {
			add(k.Name + ": " + text)
		}
	}
	part("reasons")
	for _, why := range slices.Sorted(maps.Keys(reasonWords)) {
		for _, count := range []int{1, 2} {
			values := []string{"192.0.2.20", "192.0.2.30", "192.0.2.40"}
			add(reasonWords[why](act.Reason{Why: why, Carrier: "gateway", Count: count, Of: 3,
				Name: "www.lacemill-museum.example", Below: "*.lacemill-museum.example",
				Values: values[:count], URL: "https://www.northmoor.example/lacemill/", Seconds: 3600,
				Date: when}))
		}
	}
	part("steps")
	for kind := act.StepKind(1); kind < 60; kind++ {
		for n := 1; n <= 2; n++ {
			zones := []string{"lacemill-museum.example", "slatequarry.example"}[:n]
			add(Step(act.Step{Kind: kind, Provider: "Registrar A", Zones: zones, Hosts: zones,
				Names: []string{"www CNAME", "@ A"}[:n], Carriers: []string{"gateway", "edge"}[:n],
				Software: []string{"nginx", "apache"}[:n], Servers: []string{"ns1.registrar-a.example",
					"ns2.registrar-a.example"}[:n], Pages: []string{"platform", "edge"}[:n],
				Late: []act.Late{{Names: zones, Carrier: "platform"}}, Partial: zones[:n-1], Count: n,
				Wait: 3600 * n, ByHand: []string{"registrar", "platform"}[:n-1], Unknown: n == 2}))
		}
	}
	part("losses and gaps")
	for _, kind := range []zone.LossKind{zone.LosesForwarding, zone.LosesAlias, 0} {
		add(Loss(zone.Loss{Kind: kind, Host: "lacemill-museum.example", Carrier: "registrar"}))
	}
	add(Gap)
	part("notes")
	for notice := act.Notice(1); notice < 60; notice++ {
		add(Note(act.Note{Notice: notice, Lines: [2]int{4, 9}, Names: []string{
			"lacemill-museum.example", "slatequarry.example", "ferryhouse.example"},
			Values: []string{"192.0.2.20", "192.0.2.30"}}))
	}
	part("verdicts")
	for _, text := range constants(t, "verdicts.go") {
		add(strings.TrimSpace(text))
	}
	for _, n := range [][4]int{
		{1, 1, 0, 0}, {1, 0, 0, 0}, {32, 32, 0, 0}, {32, 32, 1, 2},
		{32, 1, 0, 0}, {32, 3, 0, 0}, {32, 0, 0, 0},
	} {
		add(Doors(n[0], n[1], n[2], n[3], "1 error"))
		add(Doors(n[0], n[1], 0, 0, ""))
	}
	for _, s := range signoffs() {
		add(Answer(s, "https://www.northmoor.example"))
		for _, c := range s.Checks {
			add(Known(c, s.Kind))
		}
	}
	add(Live(1))
	add(Live(17))
	part("keys of the estate file")
	for _, name := range slices.Sorted(maps.Keys(keys)) {
		add(name + ": " + keys[name])
	}
	part("what holds without a key")
	for _, name := range slices.Sorted(maps.Keys(defaults)) {
		add(name + ": " + defaults[name])
	}
	part("values of records")
	for _, kind := range slices.Sorted(maps.Keys(valueForms)) {
		add(kind + ": " + valueForms[kind])
	}
	part("what is left out of old URLs")
	for _, why := range slices.Sorted(maps.Keys(leftOut)) {
		add(LeftOut(why))
	}
	for _, dir := range []string{"live", "imports", "servers", "stage", "files", "store", "report",
		"doc", "cli"} {
		part("texts of package " + dir)
		for _, text := range textsOf(t, "../"+dir) {
			add(text)
		}
	}
	return all
}

// textsOf gives the texts of four words and more that stand in a package itself: labels, and
// messages of what core did not find; without help, which is read as a page of its own.
func textsOf(t *testing.T, dir string) []string {
	t.Helper()
	files, err := filepath.Glob(dir + "/*.go")
	require.NoError(t, err)
	var all []string
	noProse := regexp.MustCompile(
		`^\s*(SELECT|INSERT|CREATE|DELETE|UPDATE|PRAGMA|ATTACH|BEGIN)|^\s*([<{(^/.#;]|--)|` +
			`^[^a-z]*$|^\S*[=:]|\\[sSdb]|xmlns|text/html|\bsrc=|\$up_|[;{}>] |WHERE|ORDER BY|<[a-z]|; ?$`)
	for _, path := range files {
		if strings.HasSuffix(path, "_test.go") {
			continue
		}
		file, err := parser.ParseFile(token.NewFileSet(), path, nil, 0)
		require.NoError(t, err)
		ast.Inspect(file, func(n ast.Node) bool {
			if kv, ok := n.(*ast.KeyValueExpr); ok { // help, and examples of it
				if key, ok := kv.Key.(*ast.Ident); ok &&
					slices.Contains([]string{"Long", "Example", "Short"}, key.Name) {
					return false
				}
			}
			e, ok := n.(ast.Expr)
			if !ok {
				return true
			}
			switch x := e.(type) {
			case *ast.BinaryExpr:
				if x.Op != token.ADD {
					return true
				}
			case *ast.BasicLit:
				if x.Kind != token.STRING {
					return true
				}
			default:
				return true
			}
			text := verb.ReplaceAllString(joined(e), "…")
			if len(strings.Fields(text)) >= 4 && !noProse.MatchString(text) &&
				!strings.Contains(text, "\n\t") {
				all = append(all, strings.Join(strings.Fields(text), " "))
			}
			return false
		})
	}
	return all
}

// verb is where a format is filled in.
var verb = regexp.MustCompile(`%(\[\d\])?[-+]?[0-9.]*[sdqvw]`)

// joined gives a text that is put together of several, with … for what is not a text.
func joined(e ast.Expr) string {
	switch e := e.(type) {
	case *ast.BasicLit:
		if text, err := strconv.Unquote(e.Value); err == nil {
			return text
		}
	case *ast.BinaryExpr:
		return joined(e.X) + joined(e.Y)
	}
	return "…"
}

// constants gives the texts of constants of a file of this package, with examples for what they
// are filled with.
func constants(t *testing.T, path string) []string {
	t.Helper()
	file, err := parser.ParseFile(token.NewFileSet(), path, nil, 0)
	require.NoError(t, err)
	var all []string
	ast.Inspect(file, func(n ast.Node) bool {
		if d, ok := n.(*ast.GenDecl); ok && d.Tok == token.CONST {
			for _, s := range d.Specs {
				for _, v := range s.(*ast.ValueSpec).Values {
					all = append(all, verb.ReplaceAllString(joined(v), "…"))
				}
			}
		}
		return true
	})
	return all
}

// TestSentences says everything that the program can say, with facts of the demo, holds it against
// the list that people read (make sentences writes it), and against the rules of its English.
func TestSentences(t *testing.T) {
	all := everySentence(t)
	require.Greater(t, len(all), 1000)
	text := "# Every sentence of the program, with facts of the demo: made by make sentences.\n" +
		strings.Join(all, "\n") + "\n"
	if *update {
		require.NoError(t, os.WriteFile(list, []byte(text), 0o644))
	}
	kept, err := os.ReadFile(list)
	require.NoError(t, err)
	assert.Equal(t, string(kept), text, "make sentences writes the list anew: read what changed")
	for _, line := range all {
		assert.NotRegexp(t, `\$[A-Z][a-z]|%!|<nil>|map\[|int64`, line, "a fact that is not there")
	}
}
