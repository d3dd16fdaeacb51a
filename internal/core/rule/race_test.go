//go:build race

package rule

// slower is by how much the race detector shortens the tests that try at random: what runs at once
// in this package is tried by others.
const slower = 5
