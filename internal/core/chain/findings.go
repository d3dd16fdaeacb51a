package chain

import (
	"cmp"
	"slices"
	"strings"
)

// Severity says how bad a finding is.
type Severity string

// The severities.
const (
	Error   Severity = "error"   // a visitor does not arrive, or meets a warning
	Warning Severity = "warning" // it works, but not as it should
	Note    Severity = "note"    // worth knowing
)

// Rank orders severities: the worst is highest. An unknown one is 0.
func (s Severity) Rank() int {
	return 1 + slices.Index([]Severity{Note, Warning, Error}, s)
}

// Finding is a named fault with its evidence and what to do about it.
type Finding struct {
	Code     string         `json:"code"`
	Severity Severity       `json:"severity"`
	Subject  string         `json:"subject"`
	Entry    string         `json:"entry,omitempty"`
	Hop      *int           `json:"hop,omitempty"` // index in hops, from 0
	Evidence map[string]any `json:"evidence"`
	Says     string         `json:"says"`
	Fix      string         `json:"fix"`
	Entries  []string       `json:"entries,omitempty"` // in a list for all chains: every entry URL that meets it

	cause string // tells causes apart where code and subject do not
}

// Kind is a row of the table of findings: what a code means, what a visitor meets, what to do in general.
type Kind struct {
	Code     string
	Severity Severity
	About    string // the chapter
	Means    string
	Meets    string // what a visitor meets
	Do       string // what to do
}

// Kinds returns the table of findings, in the order of chapters. It holds the codes that this version can report.
func Kinds() []Kind { return slices.Clone(kinds) }

// Lookup returns the row of a code.
func Lookup(code string) (Kind, bool) {
	i := slices.IndexFunc(kinds, func(k Kind) bool { return k.Code == code })
	if i < 0 {
		return Kind{}, false
	}
	return kinds[i], true
}

// New makes a finding of a code in the table, with its severity.
func New(code, subject, says, fix string, evidence map[string]any) Finding {
	k, ok := Lookup(code)
	if !ok {
		k.Severity = Error
	}
	if evidence == nil {
		evidence = map[string]any{}
	}
	return Finding{Code: code, Severity: k.Severity, Subject: subject, Says: says, Fix: fix, Evidence: evidence}
}

// Sort orders findings: the worst first, then by the table, then by subject.
func Sort(findings []Finding) {
	slices.SortStableFunc(findings, func(a, b Finding) int {
		return cmp.Or(cmp.Compare(b.Severity.Rank(), a.Severity.Rank()),
			cmp.Compare(order(a.Code), order(b.Code)), compareNumbered(a.Subject, b.Subject))
	})
}

// compareNumbered compares texts, and the numbers in them as numbers: line 9 comes before line 10.
func compareNumbered(a, b string) int {
	for i := 0; i < len(a) && i < len(b); i++ {
		x, y := number(a[i:]), number(b[i:])
		switch {
		case x != "" && y != "" && x != y:
			return cmp.Or(cmp.Compare(len(x), len(y)), cmp.Compare(x, y))
		case a[i] != b[i]:
			return cmp.Compare(a[i], b[i])
		case x != "":
			i += len(x) - 1
		}
	}
	return cmp.Compare(len(a), len(b))
}

// number gives the digits that a text begins with, without zeros in front.
func number(s string) string {
	n := 0
	for n < len(s) && s[n] >= '0' && s[n] <= '9' {
		n++
	}
	return strings.TrimLeft(s[:n], "0")
}

func order(code string) int {
	return slices.IndexFunc(kinds, func(k Kind) bool { return k.Code == code })
}

// Worst returns the highest severity among findings, "" where there are none.
func Worst(findings []Finding) Severity {
	var worst Severity
	for _, f := range findings {
		if f.Severity.Rank() > worst.Rank() {
			worst = f.Severity
		}
	}
	return worst
}

var kinds = []Kind{
	{"no-address", Error, "reaching", "The name leads to no address: it does not exist, or has neither A nor AAAA.",
		"The browser says that the site cannot be found.", "Create the record. For a www that was never created, that is an A, AAAA or CNAME at www."},
	{"refused", Error, "reaching", "The address accepts no connection on this port.",
		"The browser says that the site refused to connect.", "Have whoever carries the door listen there, or point the name at somebody who does. A forwarding form without TLS refuses every https visitor."},
	{"timeout", Error, "reaching", "Nothing answered in time, and not when asked once more.",
		"The browser waits for a long time and gives up.", "Look whether the machine still exists and whether a firewall drops the connection; otherwise point the name elsewhere."},
	{"tls-failed", Error, "reaching", "A connection is accepted, but no TLS connection comes about.",
		"The browser says that it cannot make a secure connection, and offers no way past.", "Have the door speak TLS 1.2 or 1.3 with a certificate for this name."},
	{"bad-answer", Error, "reaching", "What came back is not HTTP, or breaks off before it is an answer.",
		"The browser says that the site sent an invalid response.", "Look at what listens on this port; the finding quotes what came."},
	{"split-answers", Warning, "reaching", "Addresses, resolvers or name servers give different answers about the same thing.",
		"One page today and another one tomorrow, or none, by chance.", "Have them agree. A resolver that gives an old answer goes on doing so until its TTL has run out; that is waited for, not mended."},

	{"wrong-name", Error, "certificate", "The certificate is for other names than this one.",
		"A full-page warning. Most visitors turn back; with HSTS nobody can go on.", "Have the carrier get a certificate that holds this name (apex and www are two names), before the name points there."},
	{"expired", Error, "certificate", "The certificate ended before the time of looking.",
		"A full-page warning.", "Renew it, and find out why that did not happen by itself: a redirect that takes the renewal path is a common cause."},
	{"not-yet-valid", Error, "certificate", "The certificate begins after the time of looking.",
		"A full-page warning.", "Set the clock of the machine right, or wait, or use the former certificate until then."},
	{"untrusted", Error, "certificate", "The certificate was issued by nobody whom the vantage trusts.",
		"A full-page warning.", "Use a certificate of a public authority."},
	{"broken-chain", Error, "certificate", "The issuer's certificate is neither sent nor trusted, though the certificate says where it can be had.",
		"A full-page warning on phones, in mail programs and in many tools; some desktop browsers fetch what is missing.", "Install the whole chain: the certificate followed by its intermediates, in one file."},
	{"expires-soon", Warning, "certificate", "The certificate has less than 21 days and less than a third of its life left.",
		"Nothing yet.", "See that it is renewed; a certificate that renews itself would have been replaced by now."},

	{"loop", Error, "chain", "The chain comes back to a URL that was asked already.",
		"The browser says that the page redirected too many times.", "Find the two who send visitors to each other: often an edge network that speaks http to a server that insists on https. Let one of them stop."},
	{"growing-loop", Error, "chain", "Every round leads to a longer URL of the same kind.",
		"The browser says that the page redirected too many times.", "Correct the rule that puts its own beginning before the path again."},
	{"too-many-hops", Error, "chain", "After 20 redirects there is still another.",
		"The browser says that the page redirected too many times.", "Lead every door straight to its end."},
	{"extra-hop", Warning, "chain", "There are more redirects than wanted until the canonical site is reached.",
		"Each hop costs a connection: a wait, most of all on phones.", "Have the first answer name the last URL."},
	{"downgrade", Error, "chain", "A hop leads from https to http.",
		"Everything of that hop can be read and changed on the way; some browsers warn.", "Write the target with https."},
	{"plain-arrival", Error, "chain", "The chain ends on a page over http.",
		"The browser says that the site is not secure.", "Have http redirect to https there."},
	{"temporary", Warning, "chain", "A redirect to another origin says that it is temporary, and none was planned.",
		"Nothing; but search engines keep the old address.", "Use 301 or 308."},
	{"bad-location", Error, "chain", "A redirect whose Location is missing, double, or written so that no browser or not every browser follows it.",
		"An empty page or an error.", "Write one Location: an absolute https URL in percent-encoded ASCII."},
	{"foreign-hop", Note, "chain", "The chain passes through a host that is not part of the estate.",
		"Nothing, as long as that host's owner is friendly.", "Lead straight to the target; or add the host to the estate if the client owns it."},

	{"not-forwarded", Error, "destination", "A door that should forward answers by itself.",
		"The old site, a parking page or an error instead of the canonical site.", "Set up the redirect at whoever carries the door, and see that the name points there."},
	{"doors-disagree", Warning, "destination", "Apex and www both serve pages, each under its own name.",
		"The same site at two addresses; sign-ins and search results are split.", "Choose one, and redirect the other to it."},
	{"off-course", Error, "destination", "The chain ends somewhere else than wanted.",
		"A page that the visitor did not ask for.", "Correct the target of the redirect."},
	{"path-lost", Error, "destination", "A path that was to be kept is cut.",
		"The front page instead of the page that the link promised.", "Redirect with the path kept; where the carrier cannot, give the door to one that can."},
	{"query-lost", Warning, "destination", "The query is not handed on.",
		"A search or a campaign link that forgets what was asked.", "Hand the query on; where the carrier cannot, give the door to one that can."},
	{"dead-end", Error, "destination", "The chain arrives on an error.",
		"An error page.", "Lead to a page that exists, or say 410 where the page is gone on purpose."},

	{"leftover-address", Error, "records", "An old address stands beside the new one, or beside an alias.",
		"The old site or the new one, by chance.", "Remove it: a name leads to one place. A machine that is still needed gets a name of its own."},
	{"missing-address", Error, "records", "A name lacks some or all of the addresses of whoever carries it.",
		"Nothing for some, such as those with IPv6 only; or a site that cannot be found.", "Add what is missing: all addresses of a carrier form one record set."},
	{"crowded-alias", Error, "records", "An alias (CNAME) stands beside other records, or at the apex.",
		"The site for some, nothing or no mail for others.", "An alias stands alone, and never at the apex (RFC 1034 section 3.6.2): replace it, or what stands beside it."},
	{"wrong-target", Error, "records", "A name that counts as moved leads elsewhere than planned.",
		"The old site.", "Make the change that the plan names, or set the domain back to planned."},
	{"unclaimed-alias", Error, "records", "An alias leads to where nobody answers for this name.",
		"An error page of a stranger; and whoever claims the name there can show what he likes.", "Claim the host at the platform first, then point to it; or remove the alias."},
	{"record-lost", Error, "records", "A record that was there, or that somebody asked for, is gone or would go without being named.",
		"Whatever hung on it: a proof of ownership, a service, a name.", "Put it back; upperpath survey --show has its values."},
	{"unplanned-change", Warning, "records", "A record came or changed since the survey, and the plan does not know of it.",
		"Perhaps nothing; somebody else is at work in the zone.", "Ask who changed it. What is wanted is written under wanted:."},
	{"mail-lost", Error, "records", "A record on which mail depends is gone, or would go.",
		"Mail that does not arrive, or is taken for forged.", "Keep it: copy it to where the zone moves, and say mail: none only of domains that have no mail."},
	{"mail-tied", Error, "records", "Mail depends on a web address that is about to change.",
		"Nothing, until the web moves and mail stops.", "Give mail a name and address of its own before the move."},
	{"mail-open", Note, "records", "A domain has no mail, and no records that say so.",
		"Forged mail in the client's name.", "Write mail: none, so that the plan adds a null MX (RFC 7505), v=spf1 -all (RFC 7208) and a rejecting policy (RFC 7489)."},
	{"mail-malformed", Warning, "records", "Two SPF records, or a mail policy at a name where nobody looks for it.",
		"Mail that is taken for forged, or forged mail that is not.", "Join the records into one, or move the policy to its name."},
	{"depended-on", Error, "records", "Something of the estate refers to a name that is about to change.",
		"Whatever hangs on it: mail, reports, a site.", "Change what refers to it first, or see that the name goes on answering."},
	{"issuer-barred", Error, "records", "The CAA records of a name do not let the planned issuer issue its certificate (RFC 8659).",
		"A certificate warning, once the old certificate ends or the name moves.", "Add a CAA record for the issuer, or choose one that may."},
	{"zone-differs", Error, "records", "The new name servers of a zone do not say what the old ones say, or what the plan wants.",
		"Whatever is missing there: mail, a door, a service; for each visitor from the moment that the delegation changes for him.", "Type what is missing there before the delegation changes, and survey again."},
	{"stale-ds", Error, "records", "The parent says that the zone is signed, and the zone holds no key that fits.",
		"For everybody whose resolver checks signatures, the domain does not exist.", "Have the registrar remove the DS record before the zone moves, or sign the zone."},
	{"doubled-name", Warning, "records", "A name holds the domain twice, or looks like a slip of the pen for www.",
		"Nothing at the name that was meant.", "Remove it, and type the label without the domain."},

	{"registration-ends", Warning, "registration", "The registration ends soon, or has ended.",
		"Nothing yet; then somebody else's site.", "Renew it before anything else."},
	{"on-hold", Error, "registration", "The registry does not publish the domain.",
		"The browser says that the site cannot be found.", "Ask the registrar; a payment or a confirmation is missing most often."},

	{"robots-bars", Warning, "content", "An old robots.txt bars search engines from everything, so that they would never see the redirects.",
		"Nothing; but search engines keep the old addresses.", "Let robots.txt redirect too, or allow everything in it."},

	{"tie", Error, "rules", "Two rules are equally specific and take the same URL.",
		"Whichever the server happens to try first.", "Make one of them more specific, or drop one."},
	{"shadowed", Warning, "rules", "A rule never wins: others take all of its URLs, or nobody carries its door.",
		"Another page than the rule was written for.", "Drop it, or correct what stands in its way."},
	{"rule-loop", Error, "rules", "Rules lead to each other, so that some URL goes round for ever.",
		"The browser says that the page redirected too many times.", "Correct one of them so that its target is none of the URLs that the others take."},
	{"rule-chain", Warning, "rules", "The target of a rule is itself redirected.",
		"Each hop costs a connection: a wait, most of all on phones.", "Write the single rule that the finding shows; upperpath rules straighten does it for all."},
	{"undecided", Error, "rules", "It could be neither proved nor refuted what holds for some URLs.",
		"Perhaps nothing.", "Make the rules that the finding names simpler, so that none leads to what another one takes."},
	{"beyond-carrier", Error, "rules", "The plan asks a carrier for something that it cannot do.",
		"What the carrier does instead: no answer on https, a lost path, another page.", "Give the door to a carrier that can, or plan less of it."},
}
