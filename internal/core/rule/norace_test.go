//go:build !race

package rule

// slower is by how much the race detector shortens the tests that try at random.
const slower = 1
