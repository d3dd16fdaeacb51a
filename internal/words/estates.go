package words

import "upperpath.example/upperpath/internal/core/finding"

// What is said of many estates that are looked at again.
const (
	EstateSame     = "nothing new"
	EstateAccepted = "accepted"
	EstateFailed   = "not checked"
	EstatesSame    = "%s: nothing is new (%s)."
	EstatesFailed  = "Not checked"
	EstatesMails   = "The mails stand in "
	EstatesNews    = "%d of %d estates have news; %d could not be checked (%s)."
)

// EstateNews says how grave what is new of an estate is.
func EstateNews(worst finding.Severity, first bool) string {
	switch {
	case first:
		return "nothing accepted yet"
	case worst == finding.Error:
		return "errors"
	case worst == finding.Warning:
		return "warnings"
	case worst == finding.Note:
		return "notes"
	}
	return "changes"
}
