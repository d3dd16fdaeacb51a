package live

import (
	"context"
	"crypto/sha256"
	"crypto/x509"
	"fmt"
	"math/big"
	"slices"
	"sync"
	"time"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/web"
)

// Bounds of the lists of revoked certificates that a client reads.
const (
	mostList   = 8 << 20  // octets of one
	mostLists  = 64 << 20 // of all
	keptLists  = 4        // how many stay in memory
	mostPoints = 2        // places of a list that are tried
)

// revocations is what is known of revoked certificates (RFC 5280 section 5).
type revocations struct {
	lock   sync.Mutex
	told   map[[sha256.Size]byte]*revocation // by certificate
	lists  []namedList
	octets int
	unseen map[string]bool // lists that could not be read
}

// revocation is what came of looking for a certificate; once says that somebody looks.
type revocation struct {
	once sync.Once
	at   time.Time // when it was revoked; the zero time: it was not, or nobody could tell
}

type namedList struct {
	url  string
	list *x509.RevocationList
}

// revoked takes in that the issuer of a certificate has revoked it, by the list that the
// certificate names. What cannot be read tells nothing; Notes says so.
func (w *Client) revoked(ctx context.Context, t *chain.TLS, sent []*x509.Certificate) {
	if t == nil || len(sent) == 0 || len(sent[0].CRLDistributionPoints) == 0 ||
		slices.ContainsFunc(t.Faults, func(c finding.Code) bool {
			return c == finding.Untrusted || c == finding.Expired || c == finding.BrokenChain
		}) {
		return
	}
	way := wayUp(sent)
	if len(way) < 2 {
		return // whoever signs the list was not shown
	}
	key := sha256.Sum256(sent[0].Raw)
	w.revocations.lock.Lock()
	if w.revocations.told == nil || len(w.revocations.told) >= mostKnown {
		w.revocations.told = map[[sha256.Size]byte]*revocation{}
	}
	r := w.revocations.told[key]
	if r == nil {
		r = &revocation{}
		w.revocations.told[key] = r
	}
	w.revocations.lock.Unlock()
	r.once.Do(func() { r.at = w.revokedAt(ctx, sent[0], way[1]) })
	if r.at.IsZero() {
		return
	}
	t.Revoked = r.at
	t.Faults = append(slices.DeleteFunc(slices.Clone(t.Faults), func(c finding.Code) bool {
		return c == finding.ExpiresSoon
	}), finding.Revoked)
}

// revokedAt looks a certificate up in the list of its issuer.
func (w *Client) revokedAt(ctx context.Context, c, issuer *x509.Certificate) time.Time {
	for _, name := range c.CRLDistributionPoints[:min(len(c.CRLDistributionPoints), mostPoints)] {
		list := w.listAt(ctx, name)
		if list == nil || list.CheckSignatureFrom(issuer) != nil ||
			!list.NextUpdate.IsZero() && w.Now().After(list.NextUpdate) {
			w.notRead(name)
			continue
		}
		return revokedIn(list, c.SerialNumber)
	}
	return time.Time{}
}

// revokedIn gives when a serial number was revoked; the zero time where it is not in the list.
func revokedIn(list *x509.RevocationList, serial *big.Int) time.Time {
	for i := range list.RevokedCertificateEntries {
		e := &list.RevokedCertificateEntries[i]
		// 8 takes an entry of before back (RFC 5280 section 5.3.1)
		if e.SerialNumber.Cmp(serial) == 0 && e.ReasonCode != 8 {
			return e.RevocationTime
		}
	}
	return time.Time{}
}

// listAt gets a list, once for all who ask for it in a row; nil where it cannot be had.
func (w *Client) listAt(ctx context.Context, name string) *x509.RevocationList {
	r := &w.revocations
	r.lock.Lock()
	for _, l := range r.lists {
		if l.url == name {
			r.lock.Unlock()
			return l.list
		}
	}
	full := r.octets >= mostLists
	r.lock.Unlock()
	u, err := web.ParseURL(name)
	if err != nil || u.Scheme() != web.HTTP || full {
		return nil // one over https would have to be judged by another one
	}
	status, body, err := w.fetchFrom(ctx, u, "*/*", mostList, true)
	if err != nil || status != 200 {
		return nil
	}
	list, err := x509.ParseRevocationList(body)
	if err != nil {
		return nil
	}
	r.lock.Lock()
	defer r.lock.Unlock()
	r.octets += len(body)
	if r.lists = append(r.lists, namedList{name, list}); len(r.lists) > keptLists {
		r.lists = slices.Delete(r.lists, 0, 1)
	}
	return list
}

func (w *Client) notRead(name string) {
	w.revocations.lock.Lock()
	defer w.revocations.lock.Unlock()
	if w.revocations.unseen == nil {
		w.revocations.unseen = map[string]bool{}
	}
	if len(w.revocations.unseen) < mostKnown {
		w.revocations.unseen[name] = true
	}
}

// note says of which certificates nobody knows whether they were revoked.
func (r *revocations) note() string {
	r.lock.Lock()
	defer r.lock.Unlock()
	first := ""
	for name := range r.unseen {
		if first == "" || name < first {
			first = name
		}
	}
	if first == "" {
		return ""
	}
	return fmt.Sprintf("Lists of revoked certificates could not be read (%d, such as %s): whether "+
		"certificates that name them were revoked was not seen.", len(r.unseen), first)
}
