package outbound_test

import (
	"errors"
	"net"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"time"

	"zerokeel/outbound"
)

// TestWhereRequestsGo: to the host that was named, whatever it answers, and not to the server itself or to what a network keeps for
// its own machinery, by whatever name.
func TestWhereRequestsGo(t *testing.T) {
	var told []string
	other := httptest.NewServer(http.HandlerFunc(func(_ http.ResponseWriter, q *http.Request) { told = append(told, q.URL.Path) }))
	defer other.Close()
	named := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, q *http.Request) {
		switch q.URL.Path {
		case "/away":
			http.Redirect(w, q, other.URL+"/stolen", http.StatusTemporaryRedirect)
		case "/near":
			http.Redirect(w, q, "/there", http.StatusTemporaryRedirect)
		case "/round":
			http.Redirect(w, q, "/round", http.StatusTemporaryRedirect)
		case "/long":
			w.Header().Set("X-Long", strings.Repeat("x", 1<<20))
		}
	}))
	defer named.Close()
	self := httptest.NewServer(http.NotFoundHandler())
	defer self.Close()
	var g outbound.Guard
	g.Own(self.Listener.Addr())
	_, port, err := net.SplitHostPort(self.Listener.Addr().String())
	if err != nil {
		t.Fatal(err)
	}
	client := g.Client(10 * time.Second)
	for _, row := range []struct {
		url       string
		taken     bool
		forbidden bool
	}{
		{named.URL + "/", true, false},
		{named.URL + "/near", true, false},
		{named.URL + "/away", false, true},
		{named.URL + "/round", false, false},
		{named.URL + "/long", false, false},
		{self.URL, false, true},
		{"http://localhost:" + port, false, true},
		{"http://[::ffff:127.0.0.1]:" + port, false, true},
		{"http://169.254.169.254/latest", false, true},
		{"http://[fe80::1]/", false, true},
		{"http://0.0.0.0:" + port, false, true},
		{"http://[::]:" + port, false, true},
		{"http://224.0.0.1/", false, true},
		{"http://255.255.255.255/", false, true},
	} {
		response, err := client.Post(row.url, "application/json", strings.NewReader("{}"))
		if err == nil {
			_ = response.Body.Close()
		}
		if (err == nil) != row.taken || errors.Is(err, outbound.ErrForbidden) != row.forbidden {
			t.Errorf("%s: %v", row.url, err)
		}
	}
	if len(told) > 0 {
		t.Errorf("another host was asked for %v", told)
	}
}

func TestParse(t *testing.T) {
	for address, ok := range map[string]bool{"https://10.0.0.5": true, "http://board.shop:8080/x": true, "petrel:8000": false, "": false,
		"ftp://10.0.0.5": false, "http://": false, "http://:80": false, "http://u:p@10.0.0.5": false, "http://u@10.0.0.5": false} {
		if _, err := outbound.Parse(address); (err == nil) != ok {
			t.Errorf("%q: %v", address, err)
		}
	}
}
