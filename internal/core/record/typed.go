package record

import (
	"slices"
	"strings"
)

// Typed gives a value as most forms want it.
func Typed(kind, value string) string {
	if kind == "TXT" && value != "" {
		return Unquote(value)
	}
	return Plain(kind, value)
}

// Plain gives a value without the last dot of its name, as most provider's pages want it.
func Plain(kind, value string) string {
	if endsInName(kind) && !strings.HasSuffix(value, " .") && value != "." {
		return strings.TrimSuffix(value, ".")
	}
	return value
}

// Dotted gives a value with the last dot of its name, as zone files want it.
func Dotted(kind, value string) string {
	if endsInName(kind) && !strings.HasSuffix(value, ".") {
		return value + "."
	}
	return value
}

// Target gives the name that a value leads to, without its last dot; "" for types that lead to
// none.
func Target(kind, value string) string {
	if names := Names(kind, value); len(names) == 1 && endsInName(kind) {
		return names[0]
	}
	return ""
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

// Fold gives a value in the form in which it is compared, as servers may write it: names, addresses
// and digests in lower case, names without their last dot, parameters in order. Everything else
// keeps its letters: a text is another one in capitals, and so is base64.
func Fold(kind, value string) string {
	if made, has := ofForm(kind, value); has {
		return made
	}
	row := types[kind]
	switch {
	case strings.Contains(value, `"`):
		return value
	case len(row.names) == 0 && row.typed:
		return strings.ToLower(value)
	case len(row.names) == 0:
		return value
	}
	f := strings.Fields(value)
	for _, i := range row.names {
		if i < 0 {
			i += len(f)
		}
		if i >= 0 && i < len(f) {
			f[i] = strings.ToLower(strings.TrimSuffix(f[i], "."))
		}
	}
	return strings.Join(f, " ")
}
