package words

import (
	"cmp"
	"fmt"
	"slices"
	"strings"
	"time"

	"upperpath.example/upperpath/internal/core/act"
	"upperpath.example/upperpath/internal/core/runbook"
	"upperpath.example/upperpath/internal/core/wording"
	"upperpath.example/upperpath/internal/core/world"
	"upperpath.example/upperpath/internal/core/zone"
	"upperpath.example/upperpath/internal/doc"
)

// format fills words in which commands stand in backquotes, and marks those; what the words are
// filled with is left as it is.
func format(words string, args ...any) string {
	var b strings.Builder
	for i, part := range strings.Split(words, "`") {
		if i%2 == 1 {
			part = doc.Command(part)
		}
		b.WriteString(part)
	}
	return fmt.Sprintf(b.String(), args...)
}

// Format fills words in which commands stand in backquotes, and marks those.
func Format(words string, args ...any) string { return format(words, args...) }

// Field gives what is typed into a box.
func Field(f act.Field) string {
	if f.Holds != "" {
		return Writes(f)
	}
	return f.Value
}

// Writes is the command that writes the configuration of a field.
func Writes(f act.Field) string { return "upperpath write " + f.Software + " --carrier " + f.Holds }

// Step says what is done in a step, with commands marked.
func Step(s act.Step) string { return OfWave(s) + stepText(s) + partText(s) }

// OfWave says to which wave a step belongs, in front of what is done; "" where all waves move
// together, or where the step says so itself.
func OfWave(s act.Step) string {
	if s.Wave == 0 || s.Kind == act.AuditDoors {
		return ""
	}
	return fmt.Sprintf("Wave %d: ", s.Wave)
}

// The gives a number of things that are known: "the change", or "the first 3 changes".
func The(n int, which, noun string) string {
	if n == 1 {
		return "the " + which + noun
	}
	return "the " + which + wording.Count(n, noun)
}

// them is "it" for one, and "them" for more.
func them(all []string) string {
	if len(all) == 1 {
		return "it"
	}
	return "them"
}

// partText says of which zones of a step not everything was seen.
func partText(s act.Step) string {
	if len(s.Partial) == 0 {
		return ""
	}
	return format(" Not all of %s was seen: compare it with an export from the provider first.",
		wording.Few(s.Partial, 6))
}

func stepText(s act.Step) string {
	both := func(all []string) string { return strings.Join(all, " and ") }
	switch s.Kind {
	case act.SurveyFirst:
		return format("Survey and save what exists, so that the changes can be planned and nothing is " +
			"lost: `upperpath survey --save before`. Then plan again.")
	case act.AuditFirst:
		return format("Audit every door as it is today, to compare with: `upperpath audit`.")
	case act.TidyUp:
		return format("Make %s left in %s, which %s as moved, from top to bottom: "+
			"`upperpath write sheet`.", The(s.Count, "", "change"), wording.Few(s.Zones, 6),
			wording.Verb(len(s.Zones), "counts", "count")) + thenWait(s)
	case act.RemoveStaleDS:
		return format("Have %s remove the DS record of %s: it fits no key of the zone.", s.Provider,
			s.Zones[0])
	case act.LowerTTLs:
		return format(
			"Lower the TTL of the records that change to %s: %s. Then wait %s before the move%s",
			wording.DurationText(act.MovingTTL),
			wording.Few(s.Names, 6),
			wording.DurationUp(s.Wait),
			holdsText(s),
		)
	case act.OutlastTTLs:
		return format("Wait %s before anything changes%s", wording.DurationUp(s.Wait), holdsText(s))
	case act.UntieMail:
		return format(
			"Untie mail, and whatever else follows a door, from the web: make %s of %s "+
				"(`upperpath write sheet`). Then wait %s, because resolvers keep the previous answers that "+
				"long. Only after that may the web's addresses change.",
			The(s.Count, "first ", "change"),
			wording.Few(s.Zones, 6),
			wording.DurationUp(s.Wait),
		)
	case act.GetCertificates, act.CertifyNew:
		return certificatesText(s)
	case act.ClaimHosts:
		return format("Claim %s at %s before any record points there.", wording.Few(s.Hosts, 6),
			s.Provider)
	case act.MakeEarly:
		return format("At %s, make %s of %s that %s before the move, and survey again.", s.Provider,
			The(s.Count, "", "change"), wording.Few(s.Zones, 6), wording.Verb(s.Count, "comes", "come"))
	case act.CreateZones,
		act.DelegateZones,
		act.CopyZones,
		act.SeeAgreement,
		act.FindDS,
		act.RemoveDS,
		act.ChangeNameServers,
		act.LeaveOld,
		act.SignAnew:
		return moveStepText(s)
	case act.ClaimAfter:
		their := "their"
		if len(s.Hosts) == 1 {
			their = "its"
		}
		return format(
			"Claim %s at %s, which accepts %s only now that %s records point there. Be quick: until "+
				"then a stranger could claim %s.",
			wording.Few(s.Hosts, 6), s.Provider, them(s.Hosts), their, them(s.Hosts))
	case act.ChoosePrimaries:
		return format(
			"Choose the primary host at %s, which %s the others from then on. The sheet says how "+
				"(`upperpath write sheet`).",
			both(s.Pages), wording.Verb(len(s.Pages), "redirects", "redirect"),
		)
	case act.PlaceRedirects:
		var how []string
		for _, software := range slices.Compact(slices.Sorted(slices.Values(s.Software))) {
			var run []string
			for i, name := range s.Carriers {
				if s.Software[i] == software {
					run = append(run, name)
				}
			}
			how = append(how, format("`upperpath write %s` for %s", software, both(run)))
		}
		if len(s.Pages) > 0 {
			how = append(how, format("the sheets for %s (`upperpath write sheet`)", both(s.Pages)))
		}
		return format("Put the redirects in place: %s.", strings.Join(how, "; "))
	case act.TryRedirects:
		return format("Try them before anything points there: `upperpath audit --point HOST=ADDRESS`.")
	case act.LeaveAliases:
		return format(
			"Make %s of %s: names that leave others which move to a carrier that does not know them "+
				"(`upperpath write sheet`). Then wait %s, because resolvers keep the previous answers that "+
				"long.",
			The(s.Count, "first ", "change"), wording.Few(s.Zones, 6), wording.DurationUp(s.Wait))
	case act.MakeChanges:
		if len(s.Zones) == 1 {
			return format("Make %s of %s from top to bottom: `upperpath write sheet`.",
				The(s.Count, "", "change"), s.Zones[0]) + darkText(s)
		}
		return format(
			"Make %s in %s, each zone from top to bottom: `upperpath write sheet`.",
			The(s.Count, "", "change"),
			wording.Count(len(s.Zones), "zone"),
		) + darkText(s)
	case act.WaitForTTLs:
		return format("Wait %s, until no resolver gives previous answers any more%s",
			wording.DurationUp(s.Wait), holdsText(s))
	case act.SetRecords:
		return "Set the records below, and wait for the previous TTLs to run out."
	case act.IssueCertificates:
		var late []string
		for _, l := range s.Late {
			late = append(late, format("%s at %s", strings.Join(l.Names, ", "), l.Carrier))
		}
		return format(
			"Have the remaining certificates issued at once. Until then, visitors by https meet a "+
				"warning: %s.",
			strings.Join(late, "; "),
		)
	case act.AuditDoors:
		if s.Wave > 0 && len(s.Zones) > 0 {
			return fmt.Sprintf("Audit every door of wave %d: ", s.Wave) +
				doc.Command(fmt.Sprintf("upperpath audit --only wave:%d", s.Wave)) +
				". The next wave moves only then."
		}
		return format("Audit every door: `upperpath audit`.")
	case act.RaiseTTLs:
		return format(
			"A day later, if nothing had to be undone: raise the TTL of %s to what %s, at most %s. "+
				"Then set state: moved in the estate file, and survey again.",
			The(s.Count, "", "record set"),
			wording.Verb(s.Count, "it was", "they were"),
			wording.DurationText(act.RecordTTL),
		)
	}
	return ""
}

// thenWait says for how long to wait behind a step, "" where there is nothing to wait for.
func thenWait(s act.Step) string {
	if s.Wait == 0 {
		return ""
	}
	return fmt.Sprintf(" Then wait %s, because resolvers keep the previous answers that long.",
		wording.DurationUp(s.Wait))
}

func certificatesText(s act.Step) string {
	what := wording.Count(s.Count, "certificate")
	if s.Count == 1 {
		what = "certificate"
	}
	if len(s.Places) > 0 {
		what += " at " + wording.And(s.Places)
	}
	says := format("Get the %s that can be issued before the names point there", what)
	if s.Kind == act.CertifyNew {
		says = format("Now that %s can be found, and before anybody hears about it, get the %s",
			wording.Few(s.Zones, 6), what)
	}
	whom := func(before string, all []string) string {
		if len(s.Places) == 1 {
			return ""
		}
		return before + " " + wording.And(all) + " "
	}
	if len(s.Carriers) > 0 {
		says += "; " + whom("for", s.Carriers) + "by TXT records at _acme-challenge"
	}
	if len(s.ByHand) > 0 {
		says += "; " + whom("at", s.ByHand) + "by hand"
	}
	return says + "."
}

// moveStepText says what is done in a step of zones' move to other name servers.
func moveStepText(s act.Step) string {
	zones, to := wording.Few(s.Zones, 6), strings.Join(s.Servers, " and ")
	registrar := cmp.Or(s.Provider, "the registrar")
	wait := wording.DurationUp(s.Wait)
	if s.Unknown {
		wait = format("at least %s (a survey shows the TTL)", wait)
	}
	switch s.Kind {
	case act.CopyZones:
		only := ""
		if len(s.Zones) == 1 {
			only = " --only " + s.Zones[0]
		}
		return format("Copy %s %s to %s, from a survey made now (`upperpath survey`): %s.", zones,
			asItIs(s.Zones), s.Provider,
			doc.Command("upperpath write zone --as-it-is"+only))
	case act.CreateZones:
		what := "the zone %s at %s once it is registered, with all its records"
		if len(s.Zones) > 1 {
			what = "the zones %s at %s once they are registered, with all their records"
		}
		return format("Create %s: `upperpath write zone`, or `upperpath write sheet`.",
			format(what, zones, s.Provider))
	case act.DelegateZones:
		if to == "" {
			to = "those that its provider names"
		}
		return format(
			"At %s, set the name servers of %s to %s. Until then nobody can reach the domain, and for "+
				"some hours after that resolvers may say that it does not exist.",
			registrar,
			zones,
			to,
		)
	case act.SeeAgreement:
		return format(
			"Survey again. The survey asks the present and the next name servers of %s for everything "+
				"known, name by name, and they must agree.",
			zones,
		)
	case act.FindDS:
		return format(
			"%s %s signed, and nobody has seen whether the parent zone has a DS record for %s. Survey "+
				"again, or ask %s. If there is one, have it removed before the name servers change, and "+
				"wait for its TTL.",
			zones, wording.Verb(len(s.Zones), "is", "are"), them(s.Zones), registrar)
	case act.RemoveDS:
		return format("Have %s remove the DS record of %s, and wait %s.", registrar, zones, wait)
	case act.ChangeNameServers:
		return format(
			"At %s, change the name servers of %s to %s, once they agree with the present ones.",
			registrar,
			zones,
			to,
		)
	case act.LeaveOld:
		return format(
			"Leave %s %s at the previous name servers for %s: until then some resolvers still use the "+
				"previous delegation.",
			zones,
			asItIs(s.Zones),
			wait,
		)
	case act.SignAnew:
		return format("Sign %s at the next name servers, and only then publish the next DS record at "+
			"the registrar.",
			zones)
	}
	return ""
}

func asItIs(zones []string) string {
	if len(zones) == 1 {
		return "as it is"
	}
	return "as they are"
}

// Loss says what works only on the old provider's name servers.
func Loss(l zone.Loss) string {
	switch l.Kind {
	case zone.LosesForwarding:
		return format("the forwarding of %s at %s", l.Host, l.Carrier)
	case zone.LosesAlias:
		return format("the alias at the apex of %s, unless the next provider offers one too", l.Host)
	}
	return format("what %s forwards for %s today", l.Carrier, l.Host)
}

// Gap says for how long visitors meet a warning.
const Gap = "From the moment the name points there until the certificate is issued, usually for " +
	"some minutes, everybody who comes by https meets a warning."

// darkText says which hosts nobody answers meanwhile, why, and for how long.
func darkText(s act.Step) string {
	if len(s.Dark) == 0 {
		return ""
	}
	at := slices.Clone(s.DarkAt)
	slices.Sort(at)
	return format(" %s %s dark for up to %s: the forwarding at %s is deleted first, since it writes "+
		"its address back. Type the records right after it.", wording.Few(s.Dark, 6),
		wording.Verb(len(s.Dark), "is", "are"), wording.DurationUp(s.DarkFor),
		strings.Join(slices.Compact(at), " and "))
}

// holdsText says what is waited for longest, as the end of a sentence.
func holdsText(s act.Step) string {
	h := s.Holds
	switch {
	case h == nil:
		return "."
	case h.Type == world.Delegation:
		return format(": the delegation of %s is held that long.", h.Name)
	case h.Type == "":
		return format(": that %s does not exist is held for %s.", h.Name,
			wording.DurationText(h.TTL))
	case !h.Since.IsZero():
		return format(": the TTL of %s %s was %d s until %s.", h.Name, h.Type, h.TTL, Moment(h.Since))
	}
	return format(": the TTL of %s %s is %d s.", h.Name, h.Type, h.TTL)
}

// Moment says a time of a wait.
func Moment(t time.Time) string { return t.Local().Format("2006-01-02 15:04 MST") }

// MarkAnyway asks whether steps are to be marked before their time, and MarkWithYes says how.
const (
	MarkAnyway    = "Mark it all the same?"
	NothingMarked = "Nothing is marked"
	MarkWithYes   = "to mark it all the same, add --yes"
)

// TooEarly says why it is too early to mark steps: of the first, and how many others there are.
func TooEarly(all []runbook.Early, now time.Time) string {
	first, says := all[0], ""
	switch n := len(first.Open); {
	case n > 0:
		var numbers []string
		for _, open := range first.Open {
			numbers = append(numbers, fmt.Sprint(open))
		}
		says = fmt.Sprintf("Step %d is not next: %s %s first and %s open", first.Number,
			wording.Verb(n, "step", "steps")+" "+wording.Few(numbers, 5),
			wording.Verb(n, "comes", "come"), wording.Verb(n, "is", "are"))
	default:
		says = fmt.Sprintf("Step %d has to wait until %s (%s more)", first.Number,
			first.Until.In(now.Location()).Format("Mon 2 Jan 15:04 MST"),
			wording.SpanUp(first.Until.Sub(now)))
	}
	if more := len(all) - 1; more > 0 {
		says += fmt.Sprintf("; so it is with %s", wording.Count(more, "further step"))
	}
	return says + "."
}
