package chain_test

import "time"

// Dates are written in the zone of the machine; what tests expect has them in UTC.
func init() { time.Local = time.UTC }
