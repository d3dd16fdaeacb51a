package proof

// effort is how much may still be looked at, in steps of a fraction of a microsecond. Rules that
// feed each other can ask for any amount of it; so each gets a share of what is left, and the last
// ones little. What is cut short is undecided, and never held to be true.
type effort struct {
	left, mine, least int  // in all, for the present rule, and the least that a rule gets
	cut               bool // something was cut short since the last share was given
}

// The effort for a proof, and the least that a rule gets.
const (
	baseEffort  = 10_000_000
	ruleEffort  = 2_000 // for each rule of the map besides
	leastEffort = 2_000
	shares      = 8 // a rule gets at most one of so many shares of what is left
)

func newEffort(rules int) *effort {
	return &effort{left: baseEffort + rules*ruleEffort, least: leastEffort}
}

// share gives the next rule its share.
func (e *effort) share() {
	e.mine, e.cut = max(e.least, e.left/shares), false
}

// spend takes steps out; false where there are none left. Without an effort to mind, there always
// are.
func (e *effort) spend(steps int) bool {
	if e == nil {
		return true
	}
	e.left -= steps
	if e.mine -= steps; e.mine < 0 {
		e.cut = true
		return false
	}
	return true
}
