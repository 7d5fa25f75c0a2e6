package keys

import (
	"crypto/aes"
	"crypto/cipher"
	"crypto/rand"
	"encoding/base64"
	"errors"
	"fmt"
	"strings"
)

// Seal closes secrets that are stored, by AES-256 in Galois/counter mode. A secret opens for the purpose alone for which it was
// sealed: the password of a board not for another address.
type Seal struct{ aead cipher.AEAD }

// sealed begins every sealed secret.
const sealed = "sealed:1:"

// ErrSealed reports a secret that does not open: it was sealed with another key, or for another purpose.
var ErrSealed = errors.New("it was sealed with another key than this server has")

// keyBytes is the length of a key.
const keyBytes = 32

// Seal returns the folder's seal.
func (f Folder) Seal() (*Seal, error) {
	key, err := f.read("secrets.key", func() ([]byte, error) {
		key := make([]byte, keyBytes)
		_, err := rand.Read(key)
		return key, err
	})
	if err != nil {
		return nil, err
	}
	if len(key) != keyBytes {
		return nil, fmt.Errorf("the key file secrets.key holds %d bytes instead of %d: put back the one that was here", len(key), keyBytes)
	}
	return newSeal(key)
}

// Passing returns a seal whose key ends with the process: for tests, and for what is thrown away.
func Passing() *Seal {
	key := make([]byte, keyBytes)
	_, _ = rand.Read(key) // it never fails
	s, err := newSeal(key)
	if err != nil {
		panic(err) // only a key of another length is refused
	}
	return s
}

func newSeal(key []byte) (*Seal, error) {
	block, err := aes.NewCipher(key)
	if err != nil {
		return nil, fmt.Errorf("take the key of secrets: %w", err)
	}
	aead, err := cipher.NewGCMWithRandomNonce(block)
	if err != nil {
		return nil, fmt.Errorf("take the key of secrets: %w", err)
	}
	return &Seal{aead}, nil
}

// IsSealed reports whether a stored secret is sealed.
func IsSealed(stored string) bool { return strings.HasPrefix(stored, sealed) }

// Close returns a secret as it is stored; the empty one stays empty.
func (s *Seal) Close(purpose, secret string) string {
	if secret == "" {
		return ""
	}
	return sealed + base64.RawStdEncoding.EncodeToString(s.aead.Seal(nil, nil, []byte(secret), []byte(purpose)))
}

// Open returns a stored secret, or ErrSealed. One that was stored before secrets were sealed is returned as it is.
func (s *Seal) Open(purpose, stored string) (string, error) {
	text, is := strings.CutPrefix(stored, sealed)
	if !is {
		return stored, nil
	}
	raw, err := base64.RawStdEncoding.DecodeString(text)
	if err != nil {
		return "", ErrSealed
	}
	secret, err := s.aead.Open(nil, nil, raw, []byte(purpose))
	if err != nil {
		return "", ErrSealed
	}
	return string(secret), nil
}
