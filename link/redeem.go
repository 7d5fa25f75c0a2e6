package link

import (
	"bytes"
	"context"
	"crypto/rand"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"time"
)

// AskPath is where a machine that nobody knows yet asks to be linked.
const AskPath = "/api/link"

// Bounds of asking to be linked: how long one question may take, and after how long it is asked again where the server did not answer.
const (
	askWithin  = time.Minute
	askAgain   = 2 * time.Second
	mostAnswer = 64 << 10
)

// errRefused is what a server says against a code, for good.
type errRefused struct{ words string }

func (e *errRefused) Error() string { return e.words }

// Redeem exchanges a code for the server and the token of a rig: it tells the server what this machine is, and asks until somebody takes it
// in, or the server refuses the code. Each time that it has to wait, waits is called: with the rig's name, or with what stands in the way.
func Redeem(ctx context.Context, c Code, f Facts, waits func(rig string, problem error)) (Server, error) {
	ticket := make([]byte, 16)
	if _, err := rand.Read(ticket); err != nil {
		return Server{}, err
	}
	ask := map[string]any{"secret": c.SecretText(), "ticket": hex.EncodeToString(ticket), "facts": f}
	text, err := json.Marshal(ask)
	if err != nil {
		return Server{}, err
	}
	client := c.client()
	for {
		answer, err := askOnce(ctx, client, c.Address+AskPath, text)
		refused := (*errRefused)(nil)
		switch {
		case errors.As(err, &refused), errors.Is(err, errNotPinned):
			return Server{}, err
		case err == nil && answer.Token != "":
			out := Server{Address: c.Address, Token: answer.Token, Fingerprint: answer.Fingerprint}
			if err := c.fits(out.Fingerprint); err != nil {
				return Server{}, err
			}
			return out, out.Check()
		}
		waits(answer.Rig, err)
		pause := time.NewTimer(askAgain)
		select {
		case <-ctx.Done():
			pause.Stop()
			return Server{}, ctx.Err()
		case <-pause.C:
		}
	}
}

type askAnswer struct{ Rig, Token, Fingerprint string }

func askOnce(ctx context.Context, client *http.Client, at string, text []byte) (out askAnswer, err error) {
	ctx, cancel := context.WithTimeout(ctx, askWithin)
	defer cancel()
	request, err := http.NewRequestWithContext(ctx, http.MethodPost, at, bytes.NewReader(text))
	if err != nil {
		return out, err
	}
	request.Header.Set("Content-Type", "application/json")
	response, err := client.Do(request)
	if err != nil {
		return out, err
	}
	defer func() { _ = response.Body.Close() }()
	said, err := io.ReadAll(io.LimitReader(response.Body, mostAnswer))
	switch status := response.StatusCode; {
	case err != nil:
		return out, err
	case status == http.StatusOK:
		return out, json.Unmarshal(said, &out)
	case status >= 400 && status < 500 && status != http.StatusTooManyRequests && status != http.StatusRequestTimeout:
		var problem struct{ Detail, Title string }
		if json.Unmarshal(said, &problem) != nil || problem.Detail+problem.Title == "" {
			problem.Detail = "the server refuses it: " + response.Status
		}
		if problem.Detail == "" {
			problem.Detail = problem.Title
		}
		return out, &errRefused{problem.Detail}
	default:
		return out, fmt.Errorf("the server answers %s", response.Status)
	}
}

// client returns what dials the server of a code, which is known by its pin.
func (c Code) client() *http.Client {
	if c.Pin == nil {
		return http.DefaultClient
	}
	return pinned(c.Pin)
}

// fits reports whether a fingerprint is the one that a code begins.
func (c Code) fits(fingerprint string) error {
	if c.Pin == nil {
		return nil
	}
	sum, err := Server{Fingerprint: fingerprint}.pinned()
	if err != nil || len(sum) != sha256.Size || !bytes.HasPrefix(sum, c.Pin) {
		return errNotPinned
	}
	return nil
}
