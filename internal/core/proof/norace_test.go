//go:build !race

package proof

const slower = 1
