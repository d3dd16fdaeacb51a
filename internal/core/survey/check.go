package survey

import (
	"fmt"
	"math"

	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/record"
)

// Check tells what is wrong with a survey that was read from somewhere: everything that reads
// surveys takes for granted that nothing is.
func (v *Survey) Check() error {
	if v.Schema != Schema {
		return fact.Err(fact.SurveySchema{Schema: v.Schema, Wanted: Schema})
	}
	for i := range v.Domains {
		if err := v.Domains[i].check(); err != nil {
			return fmt.Errorf("domain %d (%s): %w", i, v.Domains[i].Name, err)
		}
	}
	return nil
}

func (d *Domain) check() error {
	if d.Name == "" {
		return fact.Err(fact.SurveyNoName{})
	}
	if !isTTL(d.Parent.TTL) {
		return fact.Err(fact.SurveyRecords{Name: d.Name, Type: "NS"})
	}
	if err := checkSets(d.Records); err != nil {
		return err
	}
	for _, c := range d.Coming {
		if err := checkSets(c.Records); err != nil {
			return err
		}
	}
	for _, diff := range d.Differences {
		if len(diff.Voices) == 0 {
			return fact.Err(fact.SurveyVoices{Name: diff.Name, Type: diff.Type})
		}
	}
	for i := range d.Chains {
		if err := d.Chains[i].Check(); err != nil {
			return fmt.Errorf("chain %d: %w", i, err)
		}
	}
	return nil
}

func checkSets(sets []record.Set) error {
	for _, s := range sets {
		if s.Name == "" || s.Type == "" || len(s.Values) == 0 || !isTTL(s.TTL) {
			return fact.Err(fact.SurveyRecords{Name: s.Name, Type: s.Type})
		}
	}
	return nil
}

// isTTL reports whether a message can hold a TTL: 32 bits (RFC 1035 section 3.2.1), in which some
// servers use the first one too.
func isTTL(seconds int) bool { return seconds >= 0 && seconds <= math.MaxUint32 }
