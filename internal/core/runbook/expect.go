package runbook

import (
	"context"
	"slices"

	"upperpath.example/upperpath/internal/core/crew"
	"upperpath.example/upperpath/internal/core/expect"
	"upperpath.example/upperpath/internal/core/fact"
)

// mostAtOnce is how many questions are open at a time.
const mostAtOnce = 8

// Look asks for everything that is expected, once, and tells what is otherwise, and what nobody
// answered about.
func Look(ctx context.Context, asker expect.Asker, all []expect.Expectation) (missing,
	unseen []fact.Sentence) {
	said := make([][2]fact.Facts, len(all))
	turns := make(chan struct{}, mostAtOnce)
	var asking crew.Crew
	for i, e := range all {
		asking.Go(func() {
			turns <- struct{}{}
			defer func() { <-turns }()
			seen := e.Judge(asker.Ask(ctx, e, e.Where()))
			said[i] = [2]fact.Facts{e.Missing(seen), e.Unanswered(seen)}
		})
	}
	asking.Wait()
	for _, s := range said {
		missing, unseen = with(missing, s[0]), with(unseen, s[1])
	}
	return missing, unseen
}

// with adds facts that are not there yet; nil are none.
func with(all []fact.Sentence, one fact.Facts) []fact.Sentence {
	if one == nil || slices.ContainsFunc(all, func(s fact.Sentence) bool {
		return fact.Key(s.Facts()) == fact.Key(one)
	}) {
		return all
	}
	return append(all, fact.Of(one, fact.Says))
}
