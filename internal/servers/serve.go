package servers

import (
	"bytes"
	"context"
	cryptotls "crypto/tls"
	"crypto/x509"
	"errors"
	"fmt"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"slices"
	"strings"
	"time"

	"upperpath.example/upperpath/internal/core/predict"
)

// Certify gives a certificate with its chain and its key, as PEM, for so many names.
type Certify func(names []string) (certificate, key []byte, err error)

// Served is a real server that runs on loopback with what Write makes of doors.
type Served struct {
	By          string // the program with its version, such as "nginx 1.22.1"
	HTTP, HTTPS string // where it listens, such as 127.0.0.1:41001
	Findings    Output

	host   string              // of some door
	leaves []*x509.Certificate // that it may show
	stop   context.CancelFunc
	ended  chan struct{}
	folder string
}

// longestStart is how long a server may take until it listens.
const longestStart = 30 * time.Second

// ErrNoServer says why a server cannot run here; it is not on this machine, or too old.
var ErrNoServer = errors.New("it cannot run here")

// Serve has the server itself run with what Write makes of doors: on ports of loopback that the
// system chooses, in a folder of its own under the system's temporary one, with a certificate for
// each domain. Close ends it and takes the folder away; the end of ctx or of this program ends it
// too. An error that is ErrNoServer says that the server is not on this machine, or older than
// required.
func (w Writer) Serve(ctx context.Context, doors []predict.Treatment, o Options,
	certify Certify) (*Served, error) {
	binary, by, why := w.Checker.program(ctx)
	if why != "" {
		return nil, fmt.Errorf("%w: %s", ErrNoServer, why)
	}
	folder, err := os.MkdirTemp("", "upperpath-serve-")
	if err != nil {
		return nil, err
	}
	s := &Served{By: by, folder: folder, ended: make(chan struct{}), stop: func() {}}
	if err := s.start(ctx, w, binary, doors, o, certify); err != nil {
		_ = os.RemoveAll(folder)
		return nil, err
	}
	return s, nil
}

func (s *Served) start(ctx context.Context, w Writer, binary string, doors []predict.Treatment,
	o Options, certify Certify) error {
	ports, err := freePorts(2)
	if err != nil {
		return err
	}
	s.HTTP, s.HTTPS = ports[0], ports[1]
	o.HTTP, o.HTTPS = []string{s.HTTP}, []string{s.HTTPS}
	o.Certificates, o.Place = s.folder, s.folder
	challenges := filepath.Join(s.folder, "challenges")
	o.Challenges = w.challengesIn(challenges, Options{})
	if s.Findings, err = w.Write(doors, o); err != nil {
		return err
	}
	// a server that gives up root has to read it; nothing in it is a secret of anybody
	if err := errors.Join(os.Chmod(s.folder, 0o755), os.Mkdir(challenges, 0o755)); err != nil {
		return err
	}
	for _, f := range s.Findings.Files {
		if err := os.WriteFile(filepath.Join(s.folder, f.Name), f.Text, 0o644); err != nil {
			return err
		}
	}
	if err := s.certified(doors, certify); err != nil {
		return err
	}
	if err := w.Checker.tables(ctx, s.folder, s.Findings.Files); err != nil {
		return err
	}
	main, args, ok := w.Checker.main(binary, s.folder, s.Findings.Files[0].Name, o.Form)
	if !ok {
		return fmt.Errorf("%w: the modules of %s are not where systems put them", ErrNoServer, binary)
	}
	main, args = w.Checker.serve(main, args)
	path := filepath.Join(s.folder, "main.conf")
	if err := os.WriteFile(path, []byte(main), 0o644); err != nil {
		return err
	}
	return s.run(ctx, binary, args)
}

// run starts the program and waits until it listens, or says why it does not.
func (s *Served) run(ctx context.Context, binary string, args []string) error {
	running, stop := context.WithCancel(ctx)
	s.stop = stop
	var heard bytes.Buffer
	started, failed := make(chan struct{}), error(nil)
	go func() {
		defer close(s.ended)
		// where this program dies, the system ends the server: that hangs on the thread
		runtime.LockOSThread()
		c := exec.CommandContext(running, binary, args...)
		c.Stdout, c.Stderr = &heard, &heard
		c.Cancel = func() error { return c.Process.Signal(os.Interrupt) }
		c.WaitDelay = 5 * time.Second
		endWithUs(c)
		if failed = c.Start(); failed == nil {
			close(started)
			failed = c.Wait()
		}
	}()
	limit := time.After(longestStart)
	for {
		select {
		case <-s.ended:
			stop()
			return fmt.Errorf("%s ends at once: %s", s.By, commentSafe(strings.TrimSpace(heard.String())))
		case <-limit:
			return errors.Join(fmt.Errorf("%s does not listen after %s", s.By, longestStart), s.Close())
		case <-time.After(10 * time.Millisecond):
		}
		if listens(s.HTTP) && listens(s.HTTPS) && s.isOurs() {
			return nil
		}
	}
}

func listens(at string) bool {
	c, err := net.DialTimeout("tcp", at, time.Second)
	if err != nil {
		return false
	}
	return c.Close() == nil
}

// isOurs reports whether it is our server that listens, and not another one to which the system
// gave the port in the meantime: it shows a certificate that was made for it.
func (s *Served) isOurs() bool {
	c, err := cryptotls.DialWithDialer(&net.Dialer{Timeout: time.Second}, "tcp", s.HTTPS,
		&cryptotls.Config{ServerName: s.host, InsecureSkipVerify: true}) //nolint:gosec // compared below
	if err != nil {
		return false
	}
	defer c.Close()
	return slices.ContainsFunc(s.leaves, c.ConnectionState().PeerCertificates[0].Equal)
}

// Close ends the server, and takes its folder away.
func (s *Served) Close() error {
	s.stop()
	<-s.ended
	return os.RemoveAll(s.folder)
}

// freePorts gives addresses of loopback at which nobody listens.
func freePorts(n int) ([]string, error) {
	var all []string
	for range n {
		l, err := net.Listen("tcp", "127.0.0.1:0")
		if err != nil {
			return nil, err
		}
		defer l.Close() // all at once, so that none comes twice
		all = append(all, l.Addr().String())
	}
	return all, nil
}

// certified puts a certificate for the hosts of each domain into the folder.
func (s *Served) certified(doors []predict.Treatment, certify Certify) error {
	names := map[string][]string{}
	for _, d := range doors {
		if d.Domain != nil {
			if of := d.Domain.Name.String(); !slices.Contains(names[of], d.Host.String()) {
				names[of] = append(names[of], d.Host.String())
			}
			s.host = strings.Replace(d.Host.String(), "*", "any-other-name", 1)
		}
	}
	for domain, hosts := range names {
		certificate, key, err := certify(hosts)
		if err != nil {
			return err
		}
		pair, err := cryptotls.X509KeyPair(certificate, key)
		if err != nil {
			return err
		}
		s.leaves = append(s.leaves, pair.Leaf)
		for ending, text := range certificateFiles(certificate, key) {
			if err := os.WriteFile(filepath.Join(s.folder, domain+ending), text, 0o644); err != nil {
				return err
			}
		}
	}
	return nil
}

// tables makes what a server reads of the tables beside its file.
func (c Checker) tables(ctx context.Context, folder string, made []File) error {
	for _, f := range made {
		table, is := strings.CutSuffix(f.Name, ".txt")
		if !is || !bytes.Contains(made[0].Text, []byte(table+".dbm")) {
			continue
		}
		maker := Checker{Names: []string{"httxt2dbm"}}.find()
		if maker == "" {
			return fmt.Errorf("%w: httxt2dbm, which makes a large table, is not on this machine",
				ErrNoServer)
		}
		said, err := exec.CommandContext(ctx, maker, "-i", filepath.Join(folder, f.Name), "-o",
			filepath.Join(folder, table+".dbm")).CombinedOutput()
		if err != nil {
			return fmt.Errorf("httxt2dbm: %s", commentSafe(string(said)))
		}
	}
	return nil
}
