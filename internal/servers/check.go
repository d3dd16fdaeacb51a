package servers

import (
	"bytes"
	"context"
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/x509"
	"crypto/x509/pkix"
	"encoding/pem"
	"errors"
	"fmt"
	"math/big"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"time"

	"upperpath.example/upperpath/internal/core/predict"
)

// Checker is how a server itself reads a configuration without taking it into use.
type Checker struct {
	Names   []string // of the program, as systems call it
	Called  string   // what the check is called in its manual
	Oldest  [3]int   // the first version that is meant
	version []string // arguments that have the version said
	most    int      // octets of a file that it reads in seconds; 0: of any
	// lacks gives what the program that said so is built without; nil: nothing is asked
	lacks func(said string) string
	// main makes the main file of a trial in a folder, around the file of a form, and gives the
	// arguments; false where this machine lacks what that needs.
	main func(binary, folder, file, form string) (text string, args []string, ok bool)
	// serve makes of both what has it run in the foreground
	serve func(text string, args []string) (string, []string)
}

// Checked is what a server said of a configuration.
type Checked struct {
	By      string // the program with its version, such as "nginx 1.22.1"; "" where none was asked
	Why     string // why none was asked
	Refused string // what it finds wrong, "" for nothing
	Warned  string // what it warns of where it takes it, "" for nothing
}

// longestCheck is how long a server may take to read a trial.
const longestCheck = 2 * time.Minute

// Check has the server itself read what Write makes of these doors, where it is on this machine: in
// a folder of its own under the system's temporary one, with certificates made for that and ports
// of loopback, nothing of which outlives the call. The error says that the trial itself could not
// be made.
func (w Writer) Check(ctx context.Context, doors []predict.Treatment, o Options) (Checked, error) {
	c := w.Checker
	ctx, stop := context.WithTimeout(ctx, longestCheck)
	defer stop()
	binary, by, why := c.program(ctx)
	if why != "" {
		return Checked{Why: why}, nil
	}
	folder, err := os.MkdirTemp("", "upperpath-check-")
	if err != nil {
		return Checked{}, err
	}
	defer func() { _ = os.RemoveAll(folder) }()
	o.HTTP, o.HTTPS = []string{"127.0.0.1:48080"}, []string{"127.0.0.1:48443"}
	o.Certificates, o.Challenges, o.Place = folder, w.challengesIn(folder, o), folder
	if o.Log != "" && !w.ByAddress {
		o.Log = filepath.Join(folder, "requests.log")
	}
	written, err := w.Write(doors, o)
	if err != nil {
		return Checked{}, err
	}
	if n := len(written.Files[0].Text); c.most > 0 && n > c.most {
		return Checked{Why: fmt.Sprintf("%s would read the file's %d octets for minutes", binary, n)}, nil
	}
	if err := trial(folder, doors, written); err != nil {
		return Checked{}, err
	}
	main, args, ok := c.main(binary, folder, written.Files[0].Name, o.Form)
	if !ok {
		return Checked{Why: fmt.Sprintf("the modules of %s are not where systems put them", binary)}, nil
	}
	if err := os.WriteFile(filepath.Join(folder, "main.conf"), []byte(main), 0o600); err != nil {
		return Checked{}, err
	}
	said, err := exec.CommandContext(ctx, binary, args...).CombinedOutput()
	checked := Checked{By: by}
	heard := strings.ReplaceAll(string(said), folder+"/", "")
	var failed *exec.ExitError
	switch {
	case err == nil:
		checked.Warned = complaint(heard, true)
		return checked, nil
	case ctx.Err() != nil:
		return Checked{Why: fmt.Sprintf("%s took longer than %s to read it", binary, longestCheck)}, nil
	case !errors.As(err, &failed):
		return Checked{Why: fmt.Sprintf("%s could not be run", binary)}, nil
	}
	if checked.Refused = complaint(heard, false); checked.Refused == "" {
		checked.Refused = "it does not say why"
	}
	return checked, nil
}

// challengesIn gives what answers exempt paths in a trial: a folder, or what o says, which nobody
// asks.
func (w Writer) challengesIn(folder string, o Options) string {
	if w.ByAddress {
		return o.Challenges
	}
	return folder
}

// program finds the server on this machine, and how it and its version are called; why says that
// there is none that is new enough.
func (c Checker) program(ctx context.Context) (binary, by, why string) {
	if binary = c.find(); binary == "" {
		return "", "", c.Names[0] + " is not on this machine"
	}
	said, err := exec.CommandContext(ctx, binary, c.version...).CombinedOutput()
	version, text := versionIn(string(said))
	switch {
	case err != nil || text == "":
		why = binary + " does not say which version it is"
	case slices.Compare(version[:], c.Oldest[:]) < 0:
		why = fmt.Sprintf("the %s on this machine is %s, older than required", c.Names[0], text)
	}
	if why == "" && c.lacks != nil {
		why = c.lacks(string(said))
	}
	return binary, c.Names[0] + " " + text, why
}

func (c Checker) find() string {
	for _, name := range c.Names {
		if path, err := exec.LookPath(name); err == nil && filepath.IsAbs(path) {
			return path
		}
		// where a user's own path does not look
		for _, dir := range []string{"/usr/sbin", "/usr/local/sbin"} {
			path := filepath.Join(dir, name)
			if info, err := os.Stat(path); err == nil && info.Mode().IsRegular() && info.Mode()&0o111 != 0 {
				return path
			}
		}
	}
	return ""
}

var versionNumber = regexp.MustCompile(`(?:^|[/v ])(\d+)\.(\d+)\.(\d+)`)

// versionIn reads "name/1.22.1", "name version 1.22.1" and "v1.22.1".
func versionIn(said string) (version [3]int, text string) {
	m := versionNumber.FindStringSubmatch(said)
	if m == nil {
		return version, ""
	}
	for i := range version {
		version[i], _ = strconv.Atoi(m[i+1]) // digits, or so many that no bound is below them
	}
	return version, strings.Join(m[1:], ".")
}

// complaint picks the lines that say what is wrong, or the warnings.
func complaint(said string, warnings bool) string {
	var lines []string
	for line := range strings.Lines(said) {
		line = strings.TrimSpace(line)
		if line != "" && strings.Contains(strings.ToLower(line), "warn") == warnings &&
			!strings.Contains(line, "test failed") && !strings.Contains(line, `"level":"info"`) &&
			!strings.Contains(line, "no OCSP stapling") &&
			!strings.Contains(line, "No files matching import glob pattern") &&
			!strings.Contains(line, "[alert] could not open error log") {
			lines = append(lines, line)
		}
	}
	const most = 3
	return commentSafe(strings.Join(lines[:min(most, len(lines))], " "))
}

// trial puts the files of a configuration into a folder, and a certificate for each domain.
func trial(folder string, doors []predict.Treatment, written Output) error {
	for _, f := range written.Files {
		if err := os.WriteFile(filepath.Join(folder, f.Name), f.Text, 0o600); err != nil {
			return err
		}
		// What a table is made into on the server only has to be there.
		if table, is := strings.CutSuffix(f.Name, ".txt"); is {
			for _, ending := range []string{".dbm", ".dbm.dir", ".dbm.pag"} {
				if err := os.WriteFile(filepath.Join(folder, table+ending), nil, 0o600); err != nil {
					return err
				}
			}
		}
	}
	certificate, key, err := selfSigned()
	if err != nil {
		return err
	}
	made := map[string]bool{}
	for _, d := range doors {
		if d.Domain == nil || made[d.Domain.Name.String()] {
			continue
		}
		name := d.Domain.Name.String()
		made[name] = true
		for ending, text := range certificateFiles(certificate, key) {
			if err := os.WriteFile(filepath.Join(folder, name+ending), text, 0o600); err != nil {
				return err
			}
		}
	}
	return nil
}

// certificateFiles gives the files of a certificate by their endings, as one or the other server
// reads them.
func certificateFiles(certificate, key []byte) map[string][]byte {
	return map[string][]byte{".crt": certificate, ".key": key, ".pem": slices.Concat(certificate, key)}
}

// selfSigned makes a certificate with which nothing is ever served.
func selfSigned() (certificate, key []byte, err error) {
	private, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	if err != nil {
		return nil, nil, err
	}
	template := &x509.Certificate{SerialNumber: big.NewInt(1),
		Subject:   pkix.Name{CommonName: "check.invalid"},
		NotBefore: time.Now().Add(-time.Hour), NotAfter: time.Now().Add(time.Hour)}
	der, err := x509.CreateCertificate(rand.Reader, template, template, private.Public(), private)
	if err != nil {
		return nil, nil, err
	}
	keyDER, err := x509.MarshalPKCS8PrivateKey(private)
	var c, k bytes.Buffer
	_ = pem.Encode(&c, &pem.Block{Type: "CERTIFICATE", Bytes: der})
	_ = pem.Encode(&k, &pem.Block{Type: "PRIVATE KEY", Bytes: keyDER})
	return c.Bytes(), k.Bytes(), err
}
