package cutover

import (
	"fmt"
	"math/rand/v2"
	"os"
	"testing"

	"upperpath.example/upperpath/internal/core/plan"
)

func TestShow(t *testing.T) {
	if os.Getenv("ROUND") == "" {
		t.Skip()
	}
	e := Random(rand.New(rand.NewPCG(uint64(number("SEED", 1)), uint64(number("ROUND", 0)))))
	fmt.Println(e)
	p := plan.Make(e.Input(t))
	for _, task := range p.Tasks() {
		fmt.Println("TASK", task.Step.Kind, task.Place)
		for _, l := range task.Lines {
			fmt.Println("   ", l.Zone, l.Do, l.Label, l.Type, l.Was, "->", l.Value, l.Through)
		}
	}
	for _, f := range p.Findings {
		fmt.Println(f.Severity, f.Code, f.Subject, f.Says)
	}
}
