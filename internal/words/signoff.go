package words

import (
	"fmt"
	"strings"

	"upperpath.example/upperpath/internal/core/signoff"
	"upperpath.example/upperpath/internal/core/wording"
)

// Of the page with which a client signs off.
const (
	StandsInTheWay = "What stands in the way"
	WhatIsKnown    = "What is known, and since when"
	WorthALook     = "Worth a look: %s. "
	InPartOnly     = "Not looked at, or only in part: %s."
	NotLookedAt    = "not looked at"
	NeverSeen      = "never"
	ByAudits       = ", by %d audits"
	FromThePlan    = "worked out from the plan"
	NothingFixed   = "Nothing that could be judged both times."
)

// signoffTitles name the questions.
var signoffTitles = map[signoff.Kind]string{signoff.Before: "Before the move",
	signoff.After: "After the move", signoff.Monthly: "Monthly check"}

// SignoffTitle names the kind of a page.
func SignoffTitle(k signoff.Kind) string { return signoffTitles[k] }

// Answer says in one sentence whether it can go live, is done, or stays so.
func Answer(s signoff.Sheet, canonical string) string {
	said := map[signoff.Kind][3]string{
		signoff.Before: {"This can go live: nothing stands in the way.",
			"Nobody can say yet whether this can go live: ", "This cannot go live yet: "},
		signoff.After: {"It is done: every door leads visitors safely to " + canonical + ".",
			"Nobody can say yet whether it is done: ", "It is not done yet: "},
		signoff.Monthly: {"All is as it should be: every door leads visitors safely to " +
			canonical + ".",
			"Nobody can say whether all is as it should be: ", "Something needs attention: "},
	}[s.Kind][s.Answer]
	if s.Answer == signoff.Yes {
		return said
	}
	var parts []string
	for _, c := range s.Stands() {
		if s.Answer == signoff.Unknown || c.State == signoff.Failing {
			parts = append(parts, Obstacle(c, s.Kind))
		}
	}
	if n := len(parts) - fewObstacles; n > 0 {
		parts = append(parts[:fewObstacles], wording.Count(n, "more thing"))
	}
	return said + strings.Join(parts, "; ") + "."
}

// TheRestOf stands before the list of old addresses of which a part was followed.
const TheRestOf = "the rest of "

// fewObstacles is how many obstacles an answer names.
const fewObstacles = 2

// Obstacle says what stands in the way, as a part of a sentence.
func Obstacle(c signoff.Check, k signoff.Kind) string {
	if c.State == signoff.Failing {
		return Known(c, k)
	}
	switch {
	case c.Of == signoff.Plan && c.All == 0:
		return "there is no plan"
	case c.Of == signoff.EveryURL:
		return Known(c, k)
	}
	return fmt.Sprintf(map[signoff.Subject]string{
		signoff.Registrations: "registration of %s not seen",
		signoff.Plan:          "records of %s not looked at",
		signoff.Doors:         "%s not tried",
		signoff.OldURLs:       "not all old addresses of %s followed",
		signoff.Certificates:  "certificate of %s not seen",
		signoff.Mail:          "mail of %s not looked at",
		signoff.HSTS:          "whether %s asks for https only was not seen",
		signoff.Robots:        "what robots are told at %s was not seen",
		signoff.Steps:         "%s",
		signoff.News:          "%s",
	}[c.Of], missing(c))
}

func missing(c signoff.Check) string {
	switch {
	case c.Of == signoff.Steps:
		return "there is no list of steps"
	case c.Of == signoff.News:
		return "no state was accepted to compare with"
	case len(c.Missing) == 1 && c.Missing[0] == "":
		return "any host"
	case c.Of == signoff.Doors && len(c.Missing) > 2:
		return fmt.Sprintf("%d of %s, such as %s,", len(c.Missing), wording.Count(c.All, "door"),
			c.Missing[0])
	}
	return wording.Few(c.Missing, 1)
}

// share says how many of how many.
func share(n, all int, noun string) string {
	if n == all && all == 1 {
		return "the one " + noun
	}
	if n == all {
		return "all " + wording.Count(all, noun)
	}
	return fmt.Sprintf("%d of %s", n, wording.Count(all, noun))
}

// part says how many of how many, and of one so that the verb agrees.
func part(n, all int, noun string) string {
	if n == 1 && all > 1 {
		return fmt.Sprintf("1 %s of %d", noun, all)
	}
	return fmt.Sprintf("%d of %s", n, wording.Count(all, noun))
}

// looked stands behind a number of what was looked at, where that is not all there is.
func looked(c signoff.Check, how string) string {
	if len(c.Missing) > 0 {
		return " " + how
	}
	return ""
}

// Subject names what a check is about.
func Subject(s signoff.Subject) string {
	return map[signoff.Subject]string{signoff.Registrations: "registrations", signoff.Plan: "the plan",
		signoff.EveryURL: "every address",
		signoff.Doors:    "doors", signoff.OldURLs: "old addresses", signoff.Certificates: "certificates",
		signoff.Mail: "mail", signoff.HSTS: "https only (HSTS)", signoff.Robots: "search engines",
		signoff.Steps: "steps", signoff.News: "changes"}[s]
}

// Known says what is known of a subject, as a part of a sentence.
func Known(c signoff.Check, k signoff.Kind) string {
	counted := c.All - len(c.Missing)
	switch c.Of {
	case signoff.Registrations:
		return registrations(c)
	case signoff.Plan:
		return planKnown(c)
	case signoff.EveryURL:
		switch {
		case c.All == 0:
			return "nothing is proved"
		case c.State == signoff.Failing:
			return "the plan fails for some addresses"
		case c.State == signoff.Unseen:
			return "undecided for some addresses"
		}
		return "proved: every address leads to the site"
	case signoff.Doors:
		return doorsKnown(c, k, counted)
	case signoff.OldURLs:
		return oldKnown(c)
	case signoff.Certificates:
		if counted <= 0 {
			return "nothing is known"
		}
		if bad := counted - c.Good; bad > 0 {
			return part(bad, counted, "certificate") + looked(c, "seen") +
				wording.Verb(bad, " does", " do") + " not hold"
		}
		return share(c.Good, counted, "certificate") + looked(c, "seen") +
			wording.Verb(c.Good, " holds", " hold")
	case signoff.Mail:
		return mailKnown(c, counted)
	case signoff.HSTS:
		switch {
		case c.Good > 0:
			return "the site has browsers use https only"
		case c.State == signoff.Unseen:
			return "could not be seen"
		}
		return "the site does not have browsers use https only, or not for long"
	case signoff.Robots:
		switch {
		case counted <= 0:
			return "nothing is known"
		case c.Good == counted:
			return "search engines may see " + share(counted, counted, "host") + looked(c, "asked")
		}
		return fmt.Sprintf("search engines are kept out at %d of %s%s", counted-c.Good,
			wording.Count(counted, "host"), looked(c, "asked"))
	case signoff.Steps:
		return share(c.Good, c.All, "step") + wording.Verb(c.Good, " is", " are") + " done"
	case signoff.News:
		switch {
		case c.State == signoff.Unseen:
			return "no state was accepted to compare with"
		case c.All == 0:
			return "nothing changed since the accepted state"
		}
		return wording.Count(c.All, "thing") + " changed since the accepted state"
	}
	return ""
}

func registrations(c signoff.Check) string {
	gone, soon := 0, 0
	for _, f := range c.Findings {
		switch {
		case !f.Open():
		case f.Severity == "error":
			gone++
		default:
			soon++
		}
	}
	switch {
	case gone > 0:
		return wording.Count(gone, "registration") + wording.Verb(gone, " has", " have") +
			" ended or " + wording.Verb(gone, "is", "are") + " on hold"
	case soon > 0:
		return wording.Count(soon, "registration") + wording.Verb(soon, " ends", " end") + " soon"
	case c.Good == 0:
		return "nothing is known"
	}
	return share(c.Good, c.All, "registration") + wording.Verb(c.Good, " runs", " run") +
		" for more than 60 days"
}

func planKnown(c signoff.Check) string {
	bad := 0
	for _, f := range c.Findings {
		if f.Open() && f.Severity == "error" {
			bad++
		}
	}
	switch {
	case bad > 0:
		return "the plan has " + wording.Count(bad, "error")
	case c.All == 0:
		return "there is no plan"
	}
	return "the plan works for " + share(c.Good, c.All, "door")
}

func doorsKnown(c signoff.Check, k signoff.Kind, counted int) string {
	switch {
	case counted <= 0:
		return "no door has been tried"
	case k == signoff.Before:
		return fmt.Sprintf("today, %s%s %s", share(c.Good, counted, "door"), looked(c, "tried"),
			wording.Verb(c.Good, "leads to the site", "lead to the site"))
	case c.Good == counted:
		return share(counted, counted, "door") + looked(c, "tried") +
			wording.Verb(counted, " leads", " lead") + " visitors safely"
	}
	return part(counted-c.Good, counted, "door") + looked(c, "tried") +
		wording.Verb(counted-c.Good, " does", " do") + " not lead visitors safely"
}

// oldKnown says which old addresses arrived where they should, and before the move which will have
// no page of their own; those that are gone on purpose have what they were meant to have.
func oldKnown(c signoff.Check) string {
	switch left := c.All - c.Good; {
	case c.All == 0:
		return "none has been followed"
	case c.Predicted && left > 0:
		return fmt.Sprintf("%s will reach no page of %s own (%s of the weight)",
			part(left, c.All, "old address"), wording.Verb(left, "its", "their"),
			Percent(1-c.Part))
	case c.Predicted:
		return share(c.All, c.All, "old address") + " will lead where " +
			wording.Verb(c.All, "it", "they") + " should"
	}
	if len(c.Missing) > 0 {
		return fmt.Sprintf("%s followed %s (%s of their weight)", share(c.Good, c.All, "old address"),
			wording.Verb(c.Good, "arrives", "arrive"), Percent(c.Part))
	}
	return fmt.Sprintf("%s %s (%s of the weight)", share(c.Good, c.All, "old address"),
		wording.Verb(c.Good, "arrives", "arrive"), Percent(c.Part))
}

// Percent writes a part; it says all or none only of all or none.
func Percent(part float64) string {
	switch {
	case part > 0.99 && part < 1:
		return "over 99 %"
	case part > 0 && part < 0.01:
		return "under 1 %"
	}
	return fmt.Sprintf("%.0f %%", 100*part)
}

func mailKnown(c signoff.Check, counted int) string {
	switch {
	case counted <= 0:
		return "nothing is known"
	case c.Good == counted:
		return "nothing endangers the mail of " + share(counted, counted, "domain") +
			looked(c, "seen")
	}
	return part(counted-c.Good, counted, "domain") + looked(c, "seen") +
		wording.Verb(counted-c.Good, " has", " have") + " mail that is in danger or badly set up"
}

// SeenFrom says from where and when something was seen.
func SeenFrom(vantage, when string) string { return fmt.Sprintf("seen from %s, %s", vantage, when) }
