package words

import (
	"cmp"
	"strings"
	"time"

	"upperpath.example/upperpath/internal/core/estate"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/old"
)

// families are all sentences, a file each.
var families = [][]sentence{reaching, certificates, chains, destinations, memory, content, records,
	mail, registration, rules, searching, pairing, plan, checks, kept, sent, input, estateFile,
	files}

// meanings are what codes mean, a table in the file of each family.
var meanings = []map[finding.Code]Meaning{reachingCodes, certificateCodes, chainCodes,
	destinationCodes, memoryCodes, contentCodes, recordCodes, mailCodes, registrationCodes, ruleCodes}

// Meaning is what a code means, whatever it is found at.
type Meaning struct {
	Plain  string // the code in plain words, for readers who know no codes
	Means  string
	Meets  string // what a visitor meets
	Do     string // what to do
	Milder string // for which cases it is less severe; "": none
	Graver string // for which cases it is more severe
}

// Code gives what a code means; an empty meaning for what is no code.
func Code(c finding.Code) Meaning {
	for _, m := range meanings {
		if one, ok := m[c]; ok {
			return one
		}
	}
	return Meaning{}
}

// CauseMeaning is what a cause means.
type CauseMeaning struct {
	Means string // one sentence: the cause
	Shows string // by which evidence
	Do    string // one sentence: the remedy
}

// Cause gives what a cause means; an empty meaning for what is none.
func Cause(c finding.Cause) CauseMeaning { return causes[c] }

// KeyMeans gives what a key of the estate file means, by its section ("" at the top) and name.
func KeyMeans(section, name string) string {
	if section != "" {
		name = section + "." + name
	}
	return keys[name]
}

// defaults say what holds without a key, where that depends on something.
var defaults = map[string]string{
	"carriers.certificate": "before; for a redirect service or an account: after",
	"carriers.tls":         "yes; for a form: no",
	"carriers.keeps":       "[path, query]; for a form: []",
	"carriers.rules":       "yes, if its kind can",
}

// KeyDefault gives what holds without a key of the estate file; "" where nothing does.
func KeyDefault(k estate.Key) string {
	return cmp.Or(defaults[k.Section+"."+k.Name], k.Default)
}

// ValueForm gives what a value of a record type looks like; "" for one that nobody types.
func ValueForm(kind string) string { return valueForms[kind] }

// escape keeps a text as it is within a template.
func escape(text string) string { return strings.ReplaceAll(text, "$", "$$") }

// meant asks whether a near word was meant; otherwise it says something else.
func meant(near, otherwise string) string {
	if near == "" {
		return otherwise
	}
	return "did you mean " + escape(near) + "?"
}

// also names the other faults of a certificate.
func also(faults []string) string {
	if len(faults) == 0 {
		return ""
	}
	return " It is also $Also:and."
}

// aliasElse says to correct the alias of a host where it has one.
func aliasElse(alias, otherwise string) string {
	if alias == "" {
		return otherwise
	}
	return "Correct the alias of $Host: its target $Alias does not exist."
}

// left gives the sentence on what can still be met, where there is one.
func left(facts any) string {
	if facts == nil {
		return ""
	}
	return " $Left"
}

// platform names a platform, or calls it that.
func platform(name string) string {
	if name == "" {
		return "the platform"
	}
	return "$Platform"
}

func inLine(line int) string {
	if line == 0 {
		return ""
	}
	return ", line $Line"
}

func edgeByHTTPS(who string) string {
	return "Have " + who +
		" fetch from the origin by https; the origin needs a certificate for that. " +
		"Or have the origin serve what comes through it without redirecting."
}

// redirectIt says to redirect to what is wanted, or to put the rules in place.
func redirectIt(rules string) string {
	if rules == "" {
		return "Redirect it to $Wanted."
	}
	return "Put the rules of $Rules in place at its carrier."
}

// until says when a memory ends; the zero time is without end.
func until(t time.Time, when string) string {
	if t.IsZero() {
		return "until it is cleared"
	}
	return "until " + when
}

// longAs says for how long browsers remember.
func longAs(t time.Time) string {
	if t.IsZero() {
		return "until visitors clear their browsers"
	}
	return "until $Ends:minute"
}

// orForget ends an advice with what has browsers forget, and from when on that is safe.
func orForget(ends time.Time) string {
	if ends.IsZero() {
		return ". Browsers come with $By as https only: nothing else helps in time."
	}
	return ", or have $By send Strict-Transport-Security: max-age=0 from now on, and move it after " +
		"$Ends:minute."
}

// untie says how something is untied from the web.
func untie(inPlace bool) string {
	alias := ""
	if inPlace {
		alias = " in place of the alias"
	}
	return "Untie it before the web moves, as the first changes do: $Untied:semicolons" + alias +
		". Then survey again."
}

// comingSays says what a name server to which a zone moves has otherwise.
func comingSays(oldDiffers bool) string {
	says := "The next name server $At says $There:nothing for $Name $Type, where the plan wants " +
		"$Wanted:nothing"
	if oldDiffers {
		says += "; the present ones say $Now:nothing"
	}
	return says + "."
}

const (
	lookLater     = "Look again later, and ask whoever runs it why it is busy if that lasts."
	lookInBrowser = "Look at it in a browser. Have this program's User-Agent let through, or look " +
		"from " +
		"a vantage that is trusted there."
	renewFirst  = "Renew it before anything else; a redirect is worthless on a domain that is lost."
	anotherName = "Ask for another name for the record. Or have the alias replaced by addresses, " +
		"where " +
		"its carrier has some."
	dropWanted = "Drop the line from wanted:, or give the machine a name of its own."
	setAlias   = "Set the alias at the provider once the file is loaded there."
	wrongTable = "check whether this is the right table, and whether a quote is missing further up"
	csvForm    = "fields that are quoted entirely or not at all (RFC 4180)"
	csvFix     = "put quotes around the whole field and double those inside"
	yamlFix    = "look for a missing colon, quote or bracket here or just above; indent with spaces"
	yamlLong   = "check whether this is the right file"
	readable   = "check the name and your permission to read it"
	hostForm   = "a host name such as www.northmoor.example"
	urlForm    = "an http or https URL such as https://www.northmoor.example/visit/"
)

// fares is how old URLs fare: for one, for many, and what to do.
var fares = map[string]struct{ one, many, do string }{
	"home": {"arrives at the home page", "arrive at the home page",
		"Redirect each to the page that replaced it, or answer 410."},
	"other-page": {"arrives at another page than planned", "arrive at another page than planned",
		"Compare the redirects there with the plan's rules."},
	"not-moved": {"is still served by the old site", "are still served by the old site",
		"Redirect the door: the plan says where."},
	"insecure": {"goes over http", "go over http", "Redirect straight to the https address."},
	"no-page": {"ends on an error", "end on an error",
		"Redirect each to a page that exists, or answer 410 if there is none."},
	"stopped": {"is stopped by a certificate", "are stopped by a certificate",
		"Get a certificate for the host."},
	"astray": {"loops, or leads nowhere", "loop, or lead nowhere",
		"Correct the redirects that lead there."},
	"no-answer": {"gets no answer", "get no answer",
		"Check whether the host has the records and the server that the plan names."},
	"unseen": {"was not seen", "were not seen",
		"Look again, from another place or more slowly."},
}

// valueForms are what values of record types look like.
var valueForms = map[string]string{
	"A":     "an IPv4 address such as 203.0.113.10",
	"NS":    "the name of a name server, such as ns1.edge.example",
	"CNAME": "the target's name, such as sites.platform.example",
	"PTR":   "a name",
	"MX":    "a preference and a name, such as 10 mx1.mail.example",
	"TXT":   "a text",
	"AAAA":  "an IPv6 address such as 2001:db8:10::10",
	"SRV":   "priority, weight, port and a name, such as 0 5 443 www.northmoor.example",
	"DS":    "key tag, algorithm, digest type and digest",
	"SSHFP": "algorithm, type and fingerprint",
	"TLSA":  "usage, selector, matching type and data, such as 3 1 1 0d6f...",
	"SVCB":  "a priority and a target, such as 1 . alpn=h2",
	"HTTPS": "a priority and a target, such as 1 . alpn=h2",
	"CAA":   `a flag, a tag and a value, such as 0 issue "ca.example"`,
}

// leftOut is why lines are left out of old URLs.
var leftOut = map[old.Reason]string{
	old.NoURL:      "no URL that a browser could request",
	old.Robot:      "requested by a robot",
	old.Part:       "part of a page",
	old.Failed:     "answered with an error",
	old.OddMethod:  "requested with another method",
	old.Stranger:   "another host",
	old.TooLong:    "longer than any URL that a browser requests",
	old.Unreadable: "not a line of this format",
}

// LeftOut says why lines are left out of old URLs.
func LeftOut(why old.Reason) string { return leftOut[why] }
