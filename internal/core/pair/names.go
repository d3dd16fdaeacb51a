package pair

import (
	"slices"
	"strings"
)

// siteName are the texts that the titles of a site have beside what they say of a page.
type siteName map[string]bool

// separators stand between the title of a page and the name of its site.
var separators = []string{" | ", " - ", " – ", " — ", " :: ", " · ", " » ", " « "}

// siteNames finds the texts that stand before or behind a separator in the titles of many pages.
func siteNames(pages []Page) siteName {
	count, titled := map[string]int{}, 0
	for _, p := range pages {
		for _, title := range []string{p.Title, p.Heading} {
			if title == "" {
				continue
			}
			titled++
			parts := titleParts(title)
			for i, part := range parts {
				if len(parts) > 1 && (i == 0 || i == len(parts)-1) && len(part) < 200 {
					count[part]++
				}
			}
		}
	}
	found := siteName{}
	for part, n := range count {
		if n >= 3 && n*8 >= titled {
			found[strings.Clone(part)] = true
		}
	}
	return found
}

func titleParts(title string) []string {
	parts := []string{title}
	for _, s := range separators {
		var next []string
		for _, p := range parts {
			next = append(next, strings.Split(p, s)...)
		}
		parts = next
	}
	for i := range parts {
		parts[i] = strings.TrimSpace(parts[i])
	}
	return parts
}

// without gives a title without the name of its site.
func (s siteName) without(title string) string {
	if len(s) == 0 || title == "" {
		return title
	}
	parts := titleParts(title)
	if len(parts) == 1 {
		return title
	}
	left := slices.DeleteFunc(slices.Clone(parts), func(p string) bool { return s[p] })
	if len(left) == 0 {
		return parts[0]
	}
	return strings.Join(left, " ")
}
