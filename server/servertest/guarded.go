package servertest

import (
	"crypto/tls"
	"net/http"
	"net/http/cookiejar"
	"testing"

	"zerokeel/keys"
	"zerokeel/link"
	"zerokeel/server"
	"zerokeel/server/api"
	"zerokeel/store"
)

// Guarded runs a guarded server on a database, with an authority of its own, which is called by some further names. Nobody is logged in.
func Guarded(t testing.TB, s *store.Store, hosts ...string) *Bench {
	t.Helper()
	folder, err := keys.Open(t.TempDir() + "/keys")
	if err != nil {
		t.Fatal(err)
	}
	authority, err := folder.Authority()
	if err != nil {
		t.Fatal(err)
	}
	b := &Bench{t: t, Store: s, seal: keys.Passing(), hosts: hosts,
		Guard: &server.Guarded{TLS: authority.Server(append([]string{"127.0.0.1"}, hosts...)), Fingerprint: authority.Fingerprint()}}
	b.Resume()
	t.Cleanup(b.Stop)
	return b.Anybody()
}

// Anybody returns the same bench for somebody else, who is not logged in.
func (b *Bench) Anybody() *Bench {
	b.t.Helper()
	jar, err := cookiejar.New(nil)
	if err != nil {
		b.t.Fatal(err)
	}
	other := *b
	// What the certificate is worth is not what is tested through this.
	other.http = &http.Client{Jar: jar, Transport: &http.Transport{ForceAttemptHTTP2: true,
		TLSClientConfig: &tls.Config{InsecureSkipVerify: true}}}
	b.t.Cleanup(other.http.CloseIdleConnections)
	return &other
}

// As returns the bench for somebody who logs in.
func (b *Bench) As(name, password string) *Bench {
	b.t.Helper()
	other := b.Anybody()
	other.Call("POST", "/api/login", api.LoginRequest{Name: name, Password: password}, 200, nil)
	return other
}

func (b *Bench) client() *http.Client {
	if b.http != nil {
		return b.http
	}
	return http.DefaultClient
}

// serverOf is the server that the rig of a token links to.
func (b *Bench) serverOf(token string) link.Server {
	s := link.Server{Address: b.Address, Token: token}
	if b.Guard != nil {
		s.Fingerprint = b.Guard.Fingerprint
	}
	return s
}

// Do makes a request as it stands, and returns the status of the answer, whose body it lets go.
func (b *Bench) Do(request *http.Request) int {
	b.t.Helper()
	response, err := b.client().Do(request)
	if err != nil {
		b.t.Fatal(err)
	}
	_ = response.Body.Close()
	return response.StatusCode
}
