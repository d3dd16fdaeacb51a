package runbook

import (
	"context"
	"slices"

	"upperpath.example/upperpath/internal/core/crew"
	"upperpath.example/upperpath/internal/core/expect"
)

// mostAtOnce is how many questions are open at a time.
const mostAtOnce = 8

// Look asks for everything that is expected, once, and says what is otherwise, and what nobody
// answered about.
func Look(ctx context.Context, asker expect.Asker, all []expect.Expectation) (missing,
	unseen []string) {
	said := make([][2]string, len(all))
	turns := make(chan struct{}, mostAtOnce)
	var asking crew.Crew
	for i, e := range all {
		asking.Go(func() {
			turns <- struct{}{}
			defer func() { <-turns }()
			seen := e.Judge(asker.Ask(ctx, e, e.Where()))
			said[i] = [2]string{e.Missing(seen), e.Unanswered(seen)}
		})
	}
	asking.Wait()
	for _, s := range said {
		if s[0] != "" && !slices.Contains(missing, s[0]) {
			missing = append(missing, s[0])
		}
		if s[1] != "" && !slices.Contains(unseen, s[1]) {
			unseen = append(unseen, s[1])
		}
	}
	return missing, unseen
}
