package order

import "slices"

// way is the fewest visits with which somebody may stand at a place, and how.
type way struct {
	visits int
	first  string // where the step began that ends there
	from   string // where those before it ended
}

// Visits counts the visits to places that an order takes, and gives for each of its steps in which
// order its places are visited. What is typed at one place right after the other, without a wait
// in between, is one visit.
func Visits(steps []Step, order, begins []int) (int, [][]string) {
	tables := make([]map[string]way, len(order)) // by where a step ends
	ends := map[string]way{"": {}}               // by where somebody stands
	for i, at := range order {
		s := steps[at]
		if i > 0 && begins[i] > begins[i-1] {
			ends = leave(ends)
		}
		if len(s.Places) == 0 {
			continue
		}
		ends = visit(s, ends)
		tables[i] = ends
	}
	last, fewest := "", -1
	for at, w := range ends {
		if fewest < 0 || w.visits < fewest || w.visits == fewest && at < last {
			last, fewest = at, w.visits
		}
	}
	places := make([][]string, len(order))
	for i := len(order) - 1; i >= 0; i-- {
		if tables[i] == nil {
			continue
		}
		// whoever waited stands nowhere: any end will do
		w, stands := tables[i][last]
		if !stands {
			last = least(tables[i])
			w = tables[i][last]
		}
		places[i] = arranged(steps[order[i]], w.first, last)
		last = w.from
	}
	return max(0, fewest), places
}

// leave has everybody stand nowhere.
func leave(ends map[string]way) map[string]way {
	at := least(ends)
	return map[string]way{"": {visits: ends[at].visits}}
}

// least gives the place at which somebody stands after the fewest visits.
func least(ends map[string]way) string {
	found, fewest := "", -1
	for at, w := range ends {
		if fewest < 0 || w.visits < fewest || w.visits == fewest && at < found {
			found, fewest = at, w.visits
		}
	}
	return found
}

// visit gives where somebody may stand after a step, and with how many visits.
func visit(s Step, ends map[string]way) map[string]way {
	from := least(ends)
	fewest := ends[from].visits
	made := map[string]way{}
	// the fewest visits when the step begins at a place
	begin := func(at string) way {
		if w, stands := ends[at]; stands && at != "" && w.visits-1 < fewest {
			return way{visits: w.visits - 1, first: at, from: at}
		}
		return way{visits: fewest, first: at, from: from}
	}
	if !s.Free || len(s.Places) == 1 {
		w := begin(s.Places[0])
		runs := 1
		for i := 1; i < len(s.Places); i++ {
			if s.Places[i] != s.Places[i-1] {
				runs++
			}
		}
		w.visits += runs
		made[s.Places[len(s.Places)-1]] = w
		return made
	}
	// whoever ends at one place begins at the best of the others
	var best, second way
	for i, at := range s.Places {
		switch w := begin(at); {
		case i == 0:
			best = w
		case w.visits < best.visits:
			best, second = w, best
		case i == 1 || w.visits < second.visits:
			second = w
		}
	}
	for _, at := range s.Places {
		w := best
		if at == best.first {
			w = second
		}
		w.visits += len(s.Places)
		made[at] = w
	}
	return made
}

// arranged gives the places of a step, with one first and another last.
func arranged(s Step, first, last string) []string {
	if !s.Free || len(s.Places) < 2 {
		return s.Places
	}
	made := []string{first}
	for _, at := range s.Places {
		if at != first && at != last {
			made = append(made, at)
		}
	}
	if last != first {
		made = append(made, last)
	}
	return slices.Clip(made)
}
