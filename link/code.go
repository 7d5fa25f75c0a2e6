package link

import (
	"bytes"
	"crypto/rand"
	"crypto/sha256"
	"encoding/base32"
	"encoding/binary"
	"errors"
	"fmt"
	"net/netip"
	"net/url"
	"strconv"
	"strings"
)

// Code is what a machine is linked by for the first time: where its server is, by what that is known, and a secret that is exchanged
// for the token of its rig. It is short enough to be typed from a screen.
type Code struct {
	Address string // of the server: http or https, a host and a port
	// Pin begins the sum by which the server is known, pinBytes of it; nil where the machine's own authorities are trusted, and over http.
	Pin    []byte
	Secret [8]byte
}

// Sizes of a code's parts, in bytes. Whoever wants to stand in between has to find a certificate with the pin within the hour that a code
// is good for.
const (
	pinBytes = 10
	sumBytes = 2
	mostHost = 253
)

// What the first byte of a code tells: its version above, and what follows.
const (
	codeVersion = 1 << 4
	codeTLS     = 1 << 0
	codePin     = 1 << 1
	codeHost    = 3 << 2 // what kind of host
	host4       = 0 << 2
	host6       = 1 << 2
	hostName    = 2 << 2
)

// figures leave out letters that look like others.
var figures = base32.NewEncoding("0123456789ABCDEFGHJKMNPQRSTVWXYZ").WithPadding(base32.NoPadding)

// NewCode makes a code for a server, with a secret of its own. The fingerprint is as Server's.
func NewCode(at Server) (Code, error) {
	if err := at.Check(); err != nil {
		return Code{}, err
	}
	c := Code{Address: strings.TrimSuffix(at.Address, "/")}
	if u, err := url.Parse(c.Address); err != nil || u.User != nil || u.Path+u.RawQuery+u.Fragment != "" {
		return Code{}, fmt.Errorf("a code carries no more of %s than its host and port; leave the rest out", at.Address)
	}
	sum, err := at.pinned()
	if err != nil {
		return Code{}, err
	}
	if sum != nil {
		c.Pin = sum[:pinBytes]
	}
	if _, err := rand.Read(c.Secret[:]); err != nil {
		return Code{}, err
	}
	_, err = ParseCode(c.String()) // a host that a code cannot carry
	return c, err
}

// String writes a code, in groups of four.
func (c Code) String() string {
	u, err := url.Parse(c.Address)
	if err != nil {
		return ""
	}
	flags, host := byte(codeVersion), []byte(nil)
	if u.Scheme == "https" {
		flags |= codeTLS
	}
	if len(c.Pin) == pinBytes {
		flags |= codePin
	}
	if ip, err := netip.ParseAddr(u.Hostname()); err == nil && ip.Zone() == "" {
		if host = ip.AsSlice(); len(host) == 16 {
			flags |= host6
		}
	} else {
		name := u.Hostname()[:min(len(u.Hostname()), mostHost)]
		flags |= hostName
		host = append([]byte{byte(len(name))}, name...)
	}
	port, _ := strconv.ParseUint(u.Port(), 10, 16)
	if u.Port() == "" {
		port = 80
		if flags&codeTLS != 0 {
			port = 443
		}
	}
	out := append(binary.BigEndian.AppendUint16([]byte{flags}, uint16(port)), host...)
	out = append(out, c.Secret[:]...)
	if flags&codePin != 0 {
		out = append(out, c.Pin...)
	}
	sum := sha256.Sum256(out)
	text := figures.EncodeToString(append(out, sum[:sumBytes]...))
	var groups []string
	for len(text) > 4 {
		groups, text = append(groups, text[:4]), text[4:]
	}
	return strings.Join(append(groups, text), "-")
}

var errMistyped = errors.New("the code is mistyped or cut off: compare it with the rig's page")

// ParseCode reads a code as people type it: in any case, with or without its dashes, and with letters for the figures that they look like.
func ParseCode(text string) (Code, error) {
	const most = 2 * (mostHost + 64)
	if len(text) > 2*most {
		return Code{}, errMistyped
	}
	plain := strings.NewReplacer("-", "", " ", "", "\t", "", "\n", "", "O", "0", "I", "1", "L", "1").Replace(strings.ToUpper(text))
	all, err := figures.DecodeString(plain)
	if err != nil || len(all) < 1+2+sumBytes {
		return Code{}, errMistyped
	}
	body, told := all[:len(all)-sumBytes], all[len(all)-sumBytes:]
	sum := sha256.Sum256(body)
	if !bytes.Equal(sum[:sumBytes], told) {
		return Code{}, errMistyped
	}
	flags := body[0]
	if flags&0xf0 != codeVersion {
		return Code{}, errors.New("the code is of a newer server: take the program that runs there")
	}
	port, rest := binary.BigEndian.Uint16(body[1:]), body[3:]
	var host string
	take := func(n int) (out []byte) {
		if n > len(rest) {
			n, err = len(rest), errMistyped
		}
		out, rest = rest[:n], rest[n:]
		return out
	}
	switch flags & codeHost {
	case host4:
		if ip, ok := netip.AddrFromSlice(take(4)); ok {
			host = ip.String()
		}
	case host6:
		if ip, ok := netip.AddrFromSlice(take(16)); ok {
			host = "[" + ip.String() + "]"
		}
	case hostName:
		if n := take(1); len(n) == 1 {
			host = string(take(int(n[0])))
		}
	}
	var c Code
	copy(c.Secret[:], take(len(c.Secret)))
	if flags&codePin != 0 {
		c.Pin = bytes.Clone(take(pinBytes))
	}
	if err != nil || len(rest) > 0 || host == "" {
		return Code{}, errMistyped
	}
	scheme := "http"
	if flags&codeTLS != 0 {
		scheme = "https"
	}
	c.Address = fmt.Sprintf("%s://%s:%d", scheme, host, port)
	if err := (Server{Address: c.Address}).Check(); err != nil {
		return Code{}, err
	}
	if u, err := url.Parse(c.Address); err != nil || u.Path != "" || u.User != nil || u.RawQuery != "" || u.Fragment != "" {
		return Code{}, errMistyped
	}
	return c, nil
}

// SecretText is the secret as it is shown to the server.
func (c Code) SecretText() string { return figures.EncodeToString(c.Secret[:]) }
