package wording

import "strings"

// NoFormula puts a quote before what a spreadsheet would take for a formula, whatever quotes stand
// there already.
func NoFormula(s string) string {
	if isFormula(s) {
		return "'" + s
	}
	return s
}

// AsWritten gives the text to which NoFormula may have put a quote.
func AsWritten(s string) string {
	if s != "" && s[0] == '\'' && isFormula(s) {
		return s[1:]
	}
	return s
}

func isFormula(s string) bool {
	bare := strings.TrimLeft(s, "'")
	return bare != "" && strings.ContainsRune("=+-@\t\r", rune(bare[0]))
}
