package stage

import (
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"net"
	"net/netip"
	"time"

	"upperpath.example/upperpath/internal/core/crew"
)

// The replies of a SOCKS5 proxy (RFC 1928 section 6).
const (
	socksOK          = 0
	socksUnreachable = 4
	socksRefused     = 5
	socksNoCommand   = 7
	socksNoAddress   = 8
)

// serveProxy starts the SOCKS5 proxy that leads the scene's addresses to where they are played.
func (s *Stage) serveProxy() error {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return fmt.Errorf("listening for the proxy: %w", err)
	}
	s.proxy = l
	s.closers = append(s.closers, l.Close)
	go func() {
		for {
			c, err := l.Accept()
			if errors.Is(err, net.ErrClosed) {
				return
			}
			if err == nil {
				go crew.Try(func() { s.lead(c) })
			}
		}
	}()
	return nil
}

// lead carries out one request of RFC 1928: CONNECT, without authentication.
func (s *Stage) lead(client net.Conn) {
	defer client.Close()
	_ = client.SetDeadline(time.Now().Add(10 * time.Second))
	target, code := readSocks(client, *s.names.zones.Load())
	if code != socksOK {
		replySocks(client, code)
		return
	}
	e, n := s.scene.Endpoints[target], s.scene.NameServers[target.Addr()]
	if e != nil && e.Silent || n != nil && n.Silent && target.Port() == 53 {
		_ = client.SetDeadline(time.Time{})
		_, _ = io.Copy(io.Discard, client) // until the client gives up
		return
	}
	if e != nil && e.Nowhere {
		replySocks(client, socksUnreachable)
		return
	}
	door, played := s.doors[target]
	if !played {
		replySocks(client, s.absence(target.Addr()))
		return
	}
	if e != nil && e.RelayTo != nil {
		door = e.RelayTo()
	}
	server, err := net.Dial("tcp", door)
	if err != nil {
		replySocks(client, socksRefused)
		return
	}
	defer server.Close()
	replySocks(client, socksOK)
	_ = client.SetDeadline(time.Time{})
	done := make(chan struct{})
	go func() {
		_, _ = io.Copy(server, client)
		_ = server.(*net.TCPConn).CloseWrite()
		close(done)
	}()
	_, _ = io.Copy(client, server)
	_ = client.Close()
	<-done
}

// absence is what one meets where nothing listens: a machine that refuses, or no machine at all.
func (s *Stage) absence(a netip.Addr) byte {
	for at := range s.scene.Endpoints {
		if at.Addr() == a {
			return socksRefused
		}
	}
	if s.scene.NameServers[a] != nil {
		return socksRefused
	}
	return socksUnreachable
}

func readSocks(c io.ReadWriter, names zones) (netip.AddrPort, byte) {
	var none netip.AddrPort
	head := make([]byte, 2)
	if _, err := io.ReadFull(c, head); err != nil || head[0] != 5 {
		return none, socksNoCommand
	}
	if _, err := io.ReadFull(c, make([]byte, head[1])); err != nil {
		return none, socksNoCommand
	}
	_, _ = c.Write([]byte{5, 0})
	request := make([]byte, 4)
	if _, err := io.ReadFull(c, request); err != nil || request[1] != 1 {
		return none, socksNoCommand
	}
	lengths := map[byte]int{1: 4, 4: 16}
	size, known := lengths[request[3]]
	if request[3] == 3 {
		one := make([]byte, 1)
		if _, err := io.ReadFull(c, one); err != nil {
			return none, socksNoAddress
		}
		size, known = int(one[0]), true
	}
	rest := make([]byte, size+2)
	if _, err := io.ReadFull(c, rest); err != nil || !known {
		return none, socksNoAddress
	}
	port := binary.BigEndian.Uint16(rest[size:])
	address := rest[:size]
	if request[3] == 3 {
		if a, err := netip.ParseAddr(string(address)); err == nil { // an address written as a name
			return netip.AddrPortFrom(a, port), socksOK
		}
		found := names.addresses(string(address))
		if len(found) == 0 {
			return none, socksUnreachable
		}
		address = found[0]
	}
	a, _ := netip.AddrFromSlice(address)
	return netip.AddrPortFrom(a.Unmap(), port), socksOK
}

func replySocks(c io.Writer, code byte) {
	_, _ = c.Write([]byte{5, code, 0, 1, 0, 0, 0, 0, 0, 0})
}
