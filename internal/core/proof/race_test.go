//go:build race

package proof

// slower is by how much the race detector shortens the tests that make worlds at random: nothing in
// this package runs at once.
const slower = 5
