package act_test

import (
	"fmt"

	"upperpath.example/upperpath/internal/core/act"
)

// What a change is for stands in its reasons: one that unties mail comes before the web moves.
func ExampleChange_UntiesMail() {
	c := act.Change{Step: 1, Action: act.Add, Name: "mail.old.example", Type: "A", TTL: act.RecordTTL,
		After: []string{"198.51.100.4"}, Reasons: []act.Reason{{Why: act.MailHung}}}
	fmt.Println(c.UntiesMail(), act.ShortLived(&c), act.RemovesFirst(act.Remove, c.Action))
	// Output: true false -1
}
