package live

import (
	"crypto/sha256"
	"crypto/sha512"
	"encoding/base64"
	"slices"
	"strings"
)

// policies are the content security policies of a page (Content Security Policy Level 3): each has
// sources by the name of its directive.
type policies []map[string][]string

// mostPolicy is how many of them are heard.
const mostPolicy = 20

// policiesOf reads what headers say (CSP, section 2.2.2); the first of a name counts in each.
func policiesOf(values []string) policies {
	var all policies
	for _, text := range values {
		for one := range strings.SplitSeq(text, ",") {
			if p := policyOf(one); len(p) > 0 && len(all) < mostPolicy {
				all = append(all, p)
			}
		}
	}
	return all
}

func policyOf(text string) map[string][]string {
	p := map[string][]string{}
	for directive := range strings.SplitSeq(text[:min(len(text), 16<<10)], ";") {
		words := strings.Fields(directive)
		if len(words) == 0 {
			continue
		}
		name := strings.ToLower(words[0])
		if _, twice := p[name]; !twice {
			p[name] = words[1:]
		}
	}
	return p
}

// has reports whether any policy has a directive.
func (p policies) has(name string) bool {
	return slices.ContainsFunc(p, func(one map[string][]string) bool { _, is := one[name]; return is })
}

// scripts reports whether a page may run any at all (CSP, section 6.5.2; the HTML Standard, section
// 7.1.5).
func (p policies) scripts() bool {
	return !slices.ContainsFunc(p, func(one map[string][]string) bool {
		allowed, is := one["sandbox"]
		return is && !slices.ContainsFunc(allowed, func(s string) bool {
			return strings.EqualFold(s, "allow-scripts")
		})
	})
}

// first gives the sources of the first directive that a policy has.
func first(one map[string][]string, names ...string) ([]string, bool) {
	for _, name := range names {
		if sources, is := one[name]; is {
			return sources, true
		}
	}
	return nil, false
}

func holds(sources []string, word string) bool {
	return slices.ContainsFunc(sources, func(s string) bool { return strings.EqualFold(s, word) })
}

// inline reports whether a script that stands in the page may run (CSP, section 6.7.3.3). nonce is
// that of its element; attribute: it stands in one, as onload has it.
func (p policies) inline(script []byte, nonce string, attribute bool) bool {
	for _, one := range p {
		kind := "script-src-elem"
		if attribute {
			kind = "script-src-attr"
		}
		sources, is := first(one, kind, "script-src", "default-src")
		if is && !allows(sources, script, nonce, attribute) {
			return false
		}
	}
	return true
}

func allows(sources []string, script []byte, nonce string, attribute bool) bool {
	all := holds(sources, "'unsafe-inline'")
	for _, s := range sources {
		s = strings.Trim(s, "'")
		how, value, is := strings.Cut(s, "-")
		if !is {
			continue
		}
		switch strings.ToLower(how) {
		case "nonce":
			if all = false; !attribute && nonce != "" && value == nonce {
				return true
			}
		case "sha256", "sha384", "sha512":
			all = false
			if attribute && !holds(sources, "'unsafe-hashes'") {
				continue
			}
			value = strings.NewReplacer("-", "+", "_", "/").Replace(value)
			if sum(strings.ToLower(how), script) == value {
				return true
			}
		case "strict":
			all = false
		}
	}
	return all
}

func sum(how string, script []byte) string {
	switch how {
	case "sha256":
		s := sha256.Sum256(script)
		return base64.StdEncoding.EncodeToString(s[:])
	case "sha384":
		s := sha512.Sum384(script)
		return base64.StdEncoding.EncodeToString(s[:])
	}
	s := sha512.Sum512(script)
	return base64.StdEncoding.EncodeToString(s[:])
}

// evals reports whether texts may be run as scripts (CSP, section 4.4).
func (p policies) evals() bool {
	return !slices.ContainsFunc(p, func(one map[string][]string) bool {
		sources, is := first(one, "script-src", "default-src")
		return is && !holds(sources, "'unsafe-eval'")
	})
}
