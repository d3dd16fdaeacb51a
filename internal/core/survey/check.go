package survey

import (
	"fmt"

	"upperpath.example/upperpath/internal/core/record"
)

// Check tells what is wrong with a survey that was read from somewhere: everything that reads
// surveys takes for granted that nothing is.
func (v *Survey) Check() error {
	if v.Schema != Schema {
		return fmt.Errorf("it is not a survey of this program: its schema is %q, not %q", v.Schema,
			Schema)
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
		return fmt.Errorf("it has no name")
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
			return fmt.Errorf("nobody speaks about %s %s", diff.Name, diff.Type)
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
		if s.Name == "" || s.Type == "" || len(s.Values) == 0 || s.TTL < 0 {
			return fmt.Errorf("a set of records without a name, a type or a value: %q %q", s.Name, s.Type)
		}
	}
	return nil
}
