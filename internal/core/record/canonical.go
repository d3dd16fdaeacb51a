package record

import (
	"slices"
	"strings"
)

// Canonical gives a value in one form, where people, files and servers write the same in several:
// what Value does, and Fold. It is for comparing, and not for typing.
func Canonical(kind, value string) string {
	if full, err := Value(kind, value); err == nil {
		value = full
	}
	return Fold(kind, value)
}

// ofForm gives a value of a type that has a form of its own: digests in one piece (RFC 6698, RFC
// 4255, RFC 4034), and the parameters of HTTPS and SVCB without quotation marks, by their keys (RFC
// 9460 section 2.1); false for other types.
func ofForm(kind, value string) (string, bool) {
	switch kind {
	case "TLSA", "SMIMEA", "DS", "CDS", "DLV":
		return hexBehind(value, 3), true
	case "SSHFP":
		return hexBehind(value, 2), true
	case "HTTPS", "SVCB":
		return parameters(value), true
	}
	return "", false
}

// hexBehind joins what stands behind some fields, and writes it in lower case.
func hexBehind(value string, fields int) string {
	all := strings.Fields(value)
	if len(all) <= fields {
		return value
	}
	return strings.Join(append(slices.Clone(all[:fields]),
		strings.ToLower(strings.Join(all[fields:], ""))), " ")
}

// parameters puts the parameters of a service binding into order.
func parameters(value string) string {
	var all []string
	var word strings.Builder
	quoted := false
	end := func() {
		if word.Len() > 0 {
			all = append(all, word.String())
			word.Reset()
		}
	}
	for i := 0; i < len(value); i++ {
		switch c := value[i]; {
		case c == '\\' && i+1 < len(value):
			word.WriteByte(c)
			i++
			word.WriteByte(value[i])
		case c == '"':
			quoted = !quoted
		case (c == ' ' || c == '\t') && !quoted:
			end()
		default:
			word.WriteByte(c)
		}
	}
	end()
	if len(all) < 2 {
		return value
	}
	if all[1] = strings.ToLower(all[1]); all[1] != "." {
		all[1] = strings.TrimSuffix(all[1], ".")
	}
	slices.Sort(all[2:])
	return strings.Join(all, " ")
}
