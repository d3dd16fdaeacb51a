package record

import "slices"

// Typed gives a value as most forms want it.
func Typed(kind, value string) string {
	if kind == "TXT" && value != "" {
		return Unquote(value)
	}
	return Plain(kind, value)
}

// LeadsBrowsers reports whether a type decides where a browser goes.
func LeadsBrowsers(kind string) bool {
	return kind == "A" || kind == "AAAA" || kind == "CNAME" || kind == "HTTPS" || kind == Alias
}

// LeadsToAddress reports whether a resolver that asks for an address reads records of a type.
func LeadsToAddress(kind string) bool { return kind == "A" || kind == "AAAA" || kind == "CNAME" }

// IsSigning reports whether a type is made by signing the zone, and goes with it.
func IsSigning(kind string) bool {
	switch kind {
	case "RRSIG",
		"NSEC",
		"NSEC3",
		"NSEC3PARAM",
		"DNSKEY",
		"CDS",
		"CDNSKEY",
		"TYPE65534": // the last is bind's own note of its work
		return true
	}
	return false
}

// PlainAll gives values without the last dots of their names (Plain).
func PlainAll(kind string, values []string) []string {
	all := make([]string, len(values))
	for i, v := range values {
		all[i] = Plain(kind, v)
	}
	return all
}

// SameMeaning reports whether two lists of values mean the same records.
func SameMeaning(kind string, a, b []string) bool {
	return SameValues(Normal(kind, a), Normal(kind, b))
}

// Normal gives values in their normal form (Value); those that have none stay as they are.
func Normal(kind string, values []string) []string {
	all := make([]string, len(values))
	for i, v := range values {
		n, err := Value(kind, v)
		if all[i] = n; err != nil {
			all[i] = v
		}
	}
	return all
}

// Without returns the values of a that are not in b.
func Without(a, b []string) []string {
	return slices.DeleteFunc(slices.Clone(a), func(v string) bool { return slices.Contains(b, v) })
}
