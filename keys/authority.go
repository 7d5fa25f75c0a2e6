package keys

import (
	"bytes"
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/sha256"
	"crypto/tls"
	"crypto/x509"
	"crypto/x509/pkix"
	"encoding/hex"
	"encoding/pem"
	"errors"
	"fmt"
	"math/big"
	"net"
	"sync"
	"time"
)

// Authority signs the certificates of a bench's servers. It is made once, and whoever trusts it trusts every later certificate.
type Authority struct {
	cert *x509.Certificate
	key  *ecdsa.PrivateKey
	text []byte // the certificate as PEM
}

// Lives of certificates: the authority's is long, since every agent is told its fingerprint; a server's is short, since it is made
// anew whenever the server starts, and while it runs.
const (
	authorityLife = 20 * 365 * 24 * time.Hour
	serverLife    = 90 * 24 * time.Hour
	renewBefore   = 30 * 24 * time.Hour
	slack         = time.Hour // for clocks that are behind
)

const (
	certBlock = "CERTIFICATE"
	keyBlock  = "PRIVATE KEY"
)

// Authority returns the folder's authority, which is made if there is none yet.
func (f Folder) Authority() (*Authority, error) {
	text, err := f.read("authority.pem", makeAuthority)
	if err != nil {
		return nil, err
	}
	a := &Authority{}
	for block, rest := pem.Decode(text); block != nil; block, rest = pem.Decode(rest) {
		switch block.Type {
		case certBlock:
			a.cert, err = x509.ParseCertificate(block.Bytes)
			a.text = pem.EncodeToMemory(block)
		case keyBlock:
			var key any
			key, err = x509.ParsePKCS8PrivateKey(block.Bytes)
			a.key, _ = key.(*ecdsa.PrivateKey)
		}
		if err != nil {
			return nil, fmt.Errorf("read the authority: %w", err)
		}
	}
	if a.cert == nil || a.key == nil || !a.key.PublicKey.Equal(a.cert.PublicKey) {
		return nil, errors.New("the key file authority.pem holds no certificate with its key: put back the one that was here")
	}
	return a, nil
}

func makeAuthority() ([]byte, error) {
	now := time.Now()
	key, der, err := sign(&x509.Certificate{
		Subject: pkix.Name{CommonName: "Zero Keel bench"}, NotBefore: now.Add(-slack), NotAfter: now.Add(authorityLife), IsCA: true,
		BasicConstraintsValid: true, MaxPathLenZero: true, KeyUsage: x509.KeyUsageCertSign,
		ExtKeyUsage: []x509.ExtKeyUsage{x509.ExtKeyUsageServerAuth},
	}, nil, nil)
	if err != nil {
		return nil, err
	}
	private, err := x509.MarshalPKCS8PrivateKey(key)
	if err != nil {
		return nil, err
	}
	var out bytes.Buffer
	err = errors.Join(pem.Encode(&out, &pem.Block{Type: certBlock, Bytes: der}), pem.Encode(&out, &pem.Block{Type: keyBlock, Bytes: private}))
	return out.Bytes(), err
}

// sign makes a key and a certificate for it, signed by a parent, or by itself where there is none.
func sign(c, parent *x509.Certificate, by *ecdsa.PrivateKey) (*ecdsa.PrivateKey, []byte, error) {
	key, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	if err != nil {
		return nil, nil, err
	}
	if c.SerialNumber, err = rand.Int(rand.Reader, new(big.Int).Lsh(big.NewInt(1), 127)); err != nil {
		return nil, nil, err
	}
	if parent == nil {
		parent, by = c, key
	}
	der, err := x509.CreateCertificate(rand.Reader, c, parent, &key.PublicKey, by)
	return key, der, err
}

// PEM is the authority's certificate, for browsers that shall trust it.
func (a *Authority) PEM() []byte { return a.text }

// Fingerprint is by what an agent knows the authority: the SHA-256 of its certificate, in hexadecimal figures.
func (a *Authority) Fingerprint() string { return fingerprint(a.cert.Raw) }

func fingerprint(der []byte) string {
	sum := sha256.Sum256(der)
	return hex.EncodeToString(sum[:])
}

// Server returns how a server of these names and addresses speaks TLS. Its certificate is renewed while it runs.
func (a *Authority) Server(names []string) *tls.Config {
	var mu sync.Mutex
	var made *tls.Certificate
	return &tls.Config{MinVersion: tls.VersionTLS12, GetCertificate: func(*tls.ClientHelloInfo) (*tls.Certificate, error) {
		mu.Lock()
		defer mu.Unlock()
		if made != nil && time.Until(made.Leaf.NotAfter) > renewBefore {
			return made, nil
		}
		fresh, err := a.certify(names)
		if err == nil {
			made = fresh
		}
		return fresh, err
	}}
}

func (a *Authority) certify(names []string) (*tls.Certificate, error) {
	now := time.Now()
	c := &x509.Certificate{Subject: pkix.Name{CommonName: "Zero Keel"}, NotBefore: now.Add(-slack), NotAfter: now.Add(serverLife),
		KeyUsage: x509.KeyUsageDigitalSignature, ExtKeyUsage: []x509.ExtKeyUsage{x509.ExtKeyUsageServerAuth}}
	for _, n := range names {
		if ip := net.ParseIP(n); ip != nil {
			c.IPAddresses = append(c.IPAddresses, ip)
		} else {
			c.DNSNames = append(c.DNSNames, n)
		}
	}
	key, der, err := sign(c, a.cert, a.key)
	if err != nil {
		return nil, fmt.Errorf("make the server's certificate: %w", err)
	}
	leaf, err := x509.ParseCertificate(der)
	if err != nil {
		return nil, fmt.Errorf("make the server's certificate: %w", err)
	}
	return &tls.Certificate{Certificate: [][]byte{der, a.cert.Raw}, PrivateKey: key, Leaf: leaf}, nil
}
