package live

import (
	"context"
	"fmt"
	"sync/atomic"
	"time"

	"github.com/miekg/dns"

	"upperpath.example/upperpath/internal/core/chain"
)

// What a survey may cost, far above what honest zones take. Where a bound is reached, what is left
// is unseen, and is said to be.
const (
	mostServers        = 32     // names of name servers of a zone
	mostServerSessions = 64     // their addresses
	mostParentNames    = 16     // names of name servers of the parent zone
	mostQuestions      = 50_000 // for a domain
	mostOctets         = 32 << 20
	mostRecords        = 500_000 // of a transfer
	mostTransfer       = 64 << 20
	mostDomainTime     = 30 * time.Minute
	mostAllQuestions   = 5_000_000 // for a survey
	mostAllOctets      = 512 << 20
	mostAllTime        = 12 * time.Hour
	transferTimes      = 10 // a transfer may take so many times what the vantage gives a step
)

// budget is what may still be asked and read for something. It is safe for many goroutines.
type budget struct {
	about             string // such as "this domain"
	questions, octets atomic.Int64
	above             *budget
	spent             atomic.Pointer[refusal]
}

func newBudget(about string, questions, octets int64, above *budget) *budget {
	b := &budget{about: about, above: above}
	b.questions.Store(questions)
	b.octets.Store(octets)
	return b
}

// ask takes one question out; the refusal says that there is none left, here or above.
func (b *budget) ask() *refusal {
	for ; b != nil; b = b.above {
		if why := b.spent.Load(); why != nil {
			return why
		}
		if b.questions.Add(-1) < 0 {
			return b.end("questions")
		}
	}
	return nil
}

// read takes octets out that were read; the refusal says that there are none left.
func (b *budget) read(octets int) *refusal {
	for ; b != nil; b = b.above {
		if b.octets.Add(-int64(octets)) < 0 {
			return b.end("octets")
		}
	}
	return nil
}

func (b *budget) end(of string) *refusal {
	why := &refusal{
		chain.Unseen,
		fmt.Sprintf("%s takes more %s than any honest one; the rest was not seen", b.about, of),
	}
	b.spent.CompareAndSwap(nil, why)
	return b.spent.Load()
}

// over gives why nothing more is asked, nil where something still may be.
func (b *budget) over() *refusal {
	for ; b != nil; b = b.above {
		if why := b.spent.Load(); why != nil {
			return why
		}
	}
	return nil
}

// survey gives the budget of the whole survey, for what has one of its own instead of its domain's.
func (b *budget) survey() *budget {
	for b != nil && b.above != nil {
		b = b.above
	}
	return b
}

type budgetKey struct{}

func withBudget(ctx context.Context, b *budget) context.Context {
	return context.WithValue(ctx, budgetKey{}, b)
}

// budgetOf gives the budget of what is going on; nil where there is none.
func budgetOf(ctx context.Context) *budget {
	b, _ := ctx.Value(budgetKey{}).(*budget)
	return b
}

// counted takes an answer out of the budget of what is going on.
func counted(ctx context.Context, answer *dns.Msg) (*dns.Msg, error) {
	b := budgetOf(ctx)
	if b == nil {
		return answer, nil
	}
	if why := b.read(answer.Len()); why != nil {
		return nil, why
	}
	return answer, nil
}
