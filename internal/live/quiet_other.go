//go:build !unix

package live

import "net"

// quiet cannot be told here without waiting. What was closed meanwhile is found when it is asked.
func quiet(net.Conn) bool { return true }
