package workshop

import (
	"context"
	"net/url"

	"zerokeel/store"
)

// Purposes for which secrets are sealed. The password of a board is bound to the board's address: whoever changes that in the
// database gets no password sent to the new one.
const (
	forNotices = "address of notices"
	forAnswers = "answer to a request that names a key"
)

func forBoard(address string) string { return "password of the board at " + address }

// sealSecrets seals what was stored before secrets were.
func (w *Workshop) sealSecrets(ctx context.Context) error {
	return w.store.SealSecrets(ctx, func(table, bound, secret string) string {
		if table == "rigs" {
			return w.seal.Close(forBoard(bound), secret)
		}
		return w.seal.Close(forNotices, secret)
	})
}

// NoticeAddress returns the address to which a notice goes.
func (w *Workshop) NoticeAddress(n *store.Notice) (string, error) {
	return w.seal.Open(forNotices, n.Send)
}

// shownAddress is what is shown of an address that notices go to: who gets them. Its path and query may be a secret between the
// two.
func (w *Workshop) shownAddress(stored string) string {
	address, err := w.seal.Open(forNotices, stored)
	if err != nil {
		return "an address that " + err.Error()
	}
	u, err := url.Parse(address)
	if err != nil || u.Host == "" {
		return ""
	}
	if u.Path == "" || u.Path == "/" {
		return u.Scheme + "://" + u.Host
	}
	return u.Scheme + "://" + u.Host + "/\u2026"
}
