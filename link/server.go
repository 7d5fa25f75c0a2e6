package link

import (
	"bytes"
	"crypto/sha256"
	"crypto/tls"
	"crypto/x509"
	"encoding/hex"
	"errors"
	"fmt"
	"net"
	"net/http"
	"net/url"
	"strings"
)

// Server is the server that a rig's agent links to.
type Server struct {
	Address string `json:"address"` // http or https
	Token   string `json:"token"`   // of the rig
	// Fingerprint tells the certificate by which the server is known: the SHA-256 of the server's own, or of the authority that
	// signed it, in hexadecimal figures. Empty trusts the authorities that the machine trusts.
	Fingerprint string `json:"fingerprint,omitempty"`
}

// Check reports what is wrong with how a server is named. Beyond this machine the link must be closed to others, or they would see
// the token.
func (s Server) Check() error {
	u, err := url.Parse(s.Address)
	switch {
	case err != nil || u.Scheme != "http" && u.Scheme != "https" || u.Hostname() == "":
		return fmt.Errorf("the server's address %q is none; give one such as https://10.0.0.2:7350", s.Address)
	case u.Scheme == "http" && !isLoopback(u.Hostname()):
		return fmt.Errorf("over http the rig's token could be read on the way to %s; give an address with https, and the fingerprint from the rig's page",
			u.Hostname())
	case u.Scheme == "http" && s.Fingerprint != "":
		return errors.New("a fingerprint is checked over https alone; give such an address")
	}
	_, err = s.pinned()
	return err
}

func isLoopback(host string) bool {
	ip := net.ParseIP(host)
	return host == "localhost" || ip != nil && ip.IsLoopback()
}

// pinned reads the fingerprint; nil for none.
func (s Server) pinned() ([]byte, error) {
	if s.Fingerprint == "" {
		return nil, nil
	}
	sum, err := hex.DecodeString(strings.ReplaceAll(s.Fingerprint, ":", ""))
	if err != nil || len(sum) != sha256.Size {
		return nil, fmt.Errorf("the fingerprint has to be %d hexadecimal figures, as the rig's page shows it", 2*sha256.Size)
	}
	return sum, nil
}

// client returns what dials the server.
func (s Server) client() *http.Client {
	sum, err := s.pinned()
	if err != nil {
		sum = make([]byte, sha256.Size) // no certificate has it
	}
	if sum == nil {
		return http.DefaultClient
	}
	return pinned(sum)
}

// pinned dials a server that is known by a sum, or by how that begins. Its name is not looked at: whoever has the pinned authority's key,
// or the pinned certificate's, is the server.
func pinned(sum []byte) *http.Client {
	transport := http.DefaultTransport.(*http.Transport).Clone()
	transport.TLSClientConfig = &tls.Config{MinVersion: tls.VersionTLS12, InsecureSkipVerify: true,
		VerifyConnection: func(state tls.ConnectionState) error { return known(state.PeerCertificates, sum) }}
	return &http.Client{Transport: transport}
}

var errNotPinned = errors.New("the server is not the one of the fingerprint: look at the fingerprint on the rig's page; " +
	"if it is another, the server's keys were made anew, or somebody stands in between")

// known reports whether a chain of certificates begins with the one whose sum begins so, or with one that it signed.
func known(chain []*x509.Certificate, pin []byte) error {
	for i, c := range chain {
		if sum := sha256.Sum256(c.Raw); len(pin) < pinBytes || !bytes.HasPrefix(sum[:], pin) {
			continue
		}
		if i == 0 {
			return nil
		}
		roots := x509.NewCertPool()
		roots.AddCert(c)
		// A machine whose clock was lost with its settings links too, so the certificate's dates are not looked at.
		if _, err := chain[0].Verify(x509.VerifyOptions{Roots: roots, CurrentTime: chain[0].NotBefore}); err != nil {
			return fmt.Errorf("the server's certificate is not of the authority it shows: %w", err)
		}
		return nil
	}
	return errNotPinned
}
