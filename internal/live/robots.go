package live

import (
	"slices"
	"strings"

	"upperpath.example/upperpath/internal/core/robots"
)

// robots takes in what a meta element says to robots: to all, or to one by its name.
func (r *pageReader) robots(name, content string) {
	if name != "robots" && !slices.Contains(robots.Engines, name) {
		return
	}
	for word := range strings.SplitSeq(strings.ToLower(content), ",") {
		if word = strings.TrimSpace(word); word != "noindex" && word != "none" {
			continue
		}
		if name == "robots" {
			r.doc.NoIndex = true
		} else if !slices.Contains(r.doc.NoIndexFor, name) {
			r.doc.NoIndexFor = append(r.doc.NoIndexFor, name)
		}
	}
}
