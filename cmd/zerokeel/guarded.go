package main

import (
	"crypto/tls"
	"errors"
	"fmt"
	"net"
	"os"
	"slices"
	"sync"
	"time"

	"zerokeel/keys"
	"zerokeel/server"
)

// guarding is how a server is reached beyond loopback.
type guarding struct {
	on          bool
	certificate string // file of one given by an authority that machines trust; empty for one of the bench's own
	key         string
}

// check refuses what would show the bench to everybody on a network.
func (g *guarding) check(listen string) error {
	host, _, err := net.SplitHostPort(listen)
	if err != nil {
		return fmt.Errorf("--listen: %w; give an address such as 127.0.0.1:7350", err)
	}
	ip := net.ParseIP(host)
	if !g.on && host != "localhost" && (ip == nil || !ip.IsLoopback()) {
		return fmt.Errorf("--listen %s: whoever reaches a server that is not guarded may do everything. Add --guarded, for TLS and logins; "+
			"or listen on 127.0.0.1, for this machine alone", listen)
	}
	if (g.certificate == "") != (g.key == "") {
		return errors.New("--certificate and --certificate-key belong together: give both, or neither for a certificate of the bench's own")
	}
	if g.certificate != "" && !g.on {
		return errors.New("--certificate is for a guarded server: add --guarded")
	}
	return nil
}

// guarded returns how a server of some names is guarded.
func (g *guarding) guarded(folder keys.Folder, names []string) (*server.Guarded, error) {
	if g.certificate != "" {
		f := &certificateFiles{certificate: g.certificate, key: g.key}
		if _, err := f.get(nil); err != nil {
			return nil, err
		}
		return &server.Guarded{TLS: &tls.Config{MinVersion: tls.VersionTLS12, GetCertificate: f.get}}, nil
	}
	authority, err := folder.Authority()
	if err != nil {
		return nil, err
	}
	return &server.Guarded{TLS: authority.Server(names), Fingerprint: authority.Fingerprint()}, nil
}

// namesOf are the names and addresses under which a server is reached that listens on an address.
func namesOf(listen string, hosts []string) []string {
	names := append([]string{"localhost", "127.0.0.1", "::1"}, hosts...)
	if name, err := os.Hostname(); err == nil {
		names = append(names, name)
	}
	host, _, _ := net.SplitHostPort(listen)
	ip := net.ParseIP(host)
	if host != "" && (ip == nil || !ip.IsUnspecified()) {
		names = append(names, host)
	} else if list, err := net.InterfaceAddrs(); err == nil {
		for _, a := range list {
			if n, ok := a.(*net.IPNet); ok && !n.IP.IsLinkLocalUnicast() {
				names = append(names, n.IP.String())
			}
		}
	}
	slices.Sort(names)
	return slices.Compact(names)
}

// certificateFiles reads a certificate from files, anew when it is long ago: whoever renews it need not start the server anew.
type certificateFiles struct {
	certificate, key string
	mu               sync.Mutex
	kept             *tls.Certificate
	read             time.Time
}

// rereadEvery is how old what was read of certificate files may be.
const rereadEvery = time.Minute

func (f *certificateFiles) get(*tls.ClientHelloInfo) (*tls.Certificate, error) {
	f.mu.Lock()
	defer f.mu.Unlock()
	if f.kept != nil && time.Since(f.read) < rereadEvery {
		return f.kept, nil
	}
	fresh, err := tls.LoadX509KeyPair(f.certificate, f.key)
	switch {
	case err == nil:
		f.kept, f.read = &fresh, time.Now()
	case f.kept == nil:
		return nil, fmt.Errorf("read the certificate: %w", err)
	}
	return f.kept, nil // half written, or gone: the one of before does
}
