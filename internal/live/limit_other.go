//go:build !unix

package live

// mostSockets is how many sockets may be open at once by what the system lets this program have
// open; 0: very many.
func mostSockets() int { return 0 }
