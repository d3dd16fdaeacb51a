package pair

// What a confidence is made of beside the measures of a pair.
const (
	one    = measures + iota // always 1
	total                    // the sum of the first round's weights
	ahead                    // how far it is ahead of the next one
	rival                    // how far another old page is ahead of it at the new page
	wasLed                   // a redirect was seen to lead there
	allSigns
)

type signs [allSigns]float64

// signs gives what the confidence of a pair is made of.
func (f *finder) signs(at int, all []scored, i int) signs {
	var x signs
	s := &all[i]
	for m, v := range s.by {
		x[m] = float64(v)
	}
	x[one], x[total] = 1, float64(s.sum)
	next := float32(-2)
	for k := range all {
		if k != i {
			next = max(next, all[k].sum)
		}
	}
	x[ahead] = float64(max(-3, min(3, s.sum-next)))
	best := f.bestOf[s.page]
	if f.ownerOf[s.page] == int32(at) {
		best = f.secondOf[s.page]
	}
	x[rival] = float64(max(-4, min(2, s.sum-best)))
	if s.led {
		x[wasLed] = 1
	}
	return x
}

// confidence gives the confidence of a pair, 0 to 1.
func (f *finder) confidence(at int, all []scored, i int) float64 {
	x := f.signs(at, all, i)
	sum := 0.0
	for k, v := range x {
		sum += lastWeights[k] * v
	}
	return logistic(slope*sum + shift)
}

// What makes a confidence as many right pairs as it says, fitted to made sites of which no weight
// came (TestCalibration).
const slope, shift = 1.17, -0.27

// The weights of both rounds, fitted to the made sites of sites_test.go that are for fitting.
var (
	firstWeights = features{
		asMuch: 8.26, within: -2.23, weight: 5.22, ofOld: 1.59, sameName: 3.47,
		sameTitle: 3.18, sameID: 10.72, inSection: 7.36, noSection: 5.48, agreed: 1.40,
		oldAlone: -0.52, newAlone: -0.45, spelling: 2.55, sameOrder: -0.53, sameFolders: -1.29,
		pagedToo: 0.54, headOfBelow: 5.08,
	}
	lastWeights = signs{
		asMuch: 1.15, within: -0.43, weight: -1.85, ofOld: 1.49, sameName: -1.14,
		sameTitle: -1.28, sameID: 1.00, inSection: -1.00, noSection: -0.22, agreed: -0.49,
		oldAlone: -0.16, newAlone: -0.09, spelling: -0.43, sameOrder: 0.02, sameFolders: 0.03,
		pagedToo: -0.03, headOfBelow: 0.85, one: -9.30, total: 0.57, ahead: 1.03, rival: 0.90,
		wasLed: 5,
	}
)
