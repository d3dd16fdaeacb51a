package web

import "strings"

// MergeQuery puts the parameters of rest behind those of first, raw and in order, and leaves out
// the ones whose key stands in first already. Keys are compared in normal form. Both come without
// question mark.
func MergeQuery(first, rest string) string {
	if first == "" || rest == "" {
		return first + rest
	}
	taken := map[string]bool{}
	for p := range strings.SplitSeq(first, "&") {
		taken[queryKey(p)] = true
	}
	var kept []string
	for p := range strings.SplitSeq(rest, "&") {
		if !taken[queryKey(p)] {
			kept = append(kept, p)
		}
	}
	if behind := strings.Join(kept, "&"); behind != "" {
		return first + "&" + behind
	}
	return first
}

// QueryHolds reports whether every parameter of wanted stands in query, in normal form, in any
// order.
func QueryHolds(query, wanted string) bool {
	have := map[string]bool{}
	for p := range strings.SplitSeq(query, "&") {
		have[NormalQuery(p)] = true
	}
	for p := range strings.SplitSeq(wanted, "&") {
		if p != "" && !have[NormalQuery(p)] {
			return false
		}
	}
	return true
}

func queryKey(parameter string) string {
	key, _, _ := strings.Cut(parameter, "=")
	return NormalQuery(key)
}
