package plan

import "slices"

// Met is what visitors and mail meet behind a step of a plan that is played.
type Met struct {
	Step     int      `json:"step"`
	Says     string   `json:"says"`      // what is done in it
	Arrive   int      `json:"arrive"`    // doors that lead where they should
	Today    int      `json:"as_today"`  // doors that answer as they do today
	Said     []string `json:"announced"` // doors that fail, as a step says beforehand
	Broken   []Broken `json:"broken"`
	Mixtures int      `json:"mixtures"`     // of older and new answers that were tried
	All      int      `json:"all_mixtures"` // how many there are
	Mail     int      `json:"mail"`         // domains whose mail goes where it should
	Undo     int      `json:"undo_rows"`    // that were played, and lead back to what was there
	Unseen   []string `json:"unseen"`       // doors of which nobody knows what they meet
}

// Broken is a door, or the mail of a domain, that does not lead where it should.
type Broken struct {
	What string   `json:"what"`
	Met  string   `json:"met"`
	Old  []string `json:"older_answers"` // of these names; none: whoever asks meets it
}

// Breaks gives what breaks behind any step, unannounced, each thing once.
func Breaks(all []Met) []string {
	var names []string
	for _, m := range all {
		for _, b := range m.Broken {
			if !slices.Contains(names, b.What) {
				names = append(names, b.What)
			}
		}
	}
	return names
}
