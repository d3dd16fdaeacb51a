package wording

import (
	"fmt"
	"strings"
)

// Numbers writes numbers in ascending order as ranges: "1 to 4, 7".
func Numbers(all []int64) string {
	var parts []string
	for i := 0; i < len(all); {
		end := i
		for end+1 < len(all) && all[end+1] == all[end]+1 {
			end++
		}
		switch {
		case end == i:
			parts = append(parts, fmt.Sprint(all[i]))
		case end == i+1:
			parts = append(parts, fmt.Sprint(all[i]), fmt.Sprint(all[end]))
		default:
			parts = append(parts, fmt.Sprintf("%d to %d", all[i], all[end]))
		}
		i = end + 1
	}
	return strings.Join(parts, ", ")
}
