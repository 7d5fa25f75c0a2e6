// Package redfish reaches a board's firmware settings over Redfish, the open standard of the DMTF (DSP0266), and
// brings a trim into force: it reads the attribute registry, stages attribute values for the next start, restarts
// the machine, and reads back what is then in force. It works against any service that offers the Bios resource,
// and knows no board beyond its sheet.
package redfish

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"strings"
	"sync"
	"time"

	"github.com/cenkalti/backoff/v5"

	"zerokeel/firmware"
	"zerokeel/outbound"
)

// Client talks to one Redfish service. It may be used by several goroutines at once, and is worth keeping: it finds out
// where the computer system lies once.
type Client struct {
	base           *url.URL
	user, password string
	http           *http.Client

	mu     sync.Mutex
	system string // path of the computer system; empty until it was found
}

// requestTimeout bounds one request; tries is how often a reading request is made before it counts as failed.
const (
	requestTimeout = 10 * time.Second
	tries          = 4
	maxAnswer      = 8 << 20
)

// New returns a client for the service at an address such as "http://10.0.0.5", whose requests a guard lets out.
func New(guard *outbound.Guard, address, user, password string) (*Client, error) {
	base, err := outbound.Parse(strings.TrimSuffix(address, "/"))
	if err != nil {
		return nil, fmt.Errorf("the address of a board cannot be taken: %w", err)
	}
	return &Client{base: base, user: user, password: password, http: guard.Client(requestTimeout)}, nil
}

// Error is a refusal by the service, with every message it gave.
type Error struct {
	Status   int
	Messages []Message
	Doing    string
}

// Message is one message of a Redfish error.
type Message struct {
	ID         string   `json:"MessageId"`
	Text       string   `json:"Message"`
	Resolution string   `json:"Resolution"`
	Properties []string `json:"RelatedProperties"`
}

func (e *Error) Error() string {
	texts := make([]string, 0, len(e.Messages))
	for _, m := range e.Messages {
		text := m.Text
		if m.Resolution != "" && m.Resolution != "None" {
			text += " " + m.Resolution
		}
		texts = append(texts, text)
	}
	if len(texts) == 0 {
		texts = append(texts, http.StatusText(e.Status))
	}
	return fmt.Sprintf("%s: the board answers %d: %s", e.Doing, e.Status, strings.Join(texts, " "))
}

// get reads a resource, trying again when the service is busy or silent, and returns its ETag.
func (c *Client) get(ctx context.Context, path string, into any) (etag string, err error) {
	wait := backoff.NewExponentialBackOff()
	wait.InitialInterval, wait.MaxInterval = 100*time.Millisecond, 2*time.Second
	return backoff.Retry(ctx, func() (string, error) {
		response, body, err := c.send(ctx, http.MethodGet, path, nil, "")
		if err != nil {
			return "", err
		}
		if response.StatusCode != http.StatusOK {
			err := problem("read "+path, response.StatusCode, body)
			if response.StatusCode < 500 {
				err = backoff.Permanent(err)
			}
			return "", err
		}
		if err := json.Unmarshal(body, into); err != nil {
			return "", backoff.Permanent(firmware.Unclear(fmt.Errorf("read %s: the board's answer is no JSON that fits: %w", path, err)))
		}
		return response.Header.Get("ETag"), nil
	}, backoff.WithBackOff(wait), backoff.WithMaxTries(tries))
}

// change sends a PATCH or POST once: it may have had its effect even when no answer comes.
func (c *Client) change(ctx context.Context, method, path, etag string, body any) error {
	text, err := json.Marshal(body)
	if err != nil {
		return fmt.Errorf("%s %s: %w", method, path, err)
	}
	response, answer, err := c.send(ctx, method, path, text, etag)
	if err != nil {
		return err
	}
	if response.StatusCode >= 300 {
		return problem(strings.ToLower(method)+" "+path, response.StatusCode, answer)
	}
	return nil
}

func (c *Client) send(ctx context.Context, method, path string, body []byte, etag string) (*http.Response, []byte, error) {
	target, err := c.base.Parse(path)
	if err != nil || target.Host != c.base.Host {
		return nil, nil, fmt.Errorf("the board names the resource %q, which is not its own", path)
	}
	request, err := http.NewRequestWithContext(ctx, method, target.String(), bytes.NewReader(body))
	if err != nil {
		return nil, nil, fmt.Errorf("%s %s: %w", method, path, err)
	}
	request.Header.Set("Accept", "application/json")
	request.Header.Set("OData-Version", "4.0")
	if body != nil {
		request.Header.Set("Content-Type", "application/json")
	}
	if etag != "" {
		request.Header.Set("If-Match", etag)
	}
	if c.user != "" {
		request.SetBasicAuth(c.user, c.password)
	}
	response, err := c.http.Do(request)
	if err != nil {
		return nil, nil, fmt.Errorf("%w: %w", firmware.ErrUnreachable, err)
	}
	defer func() { _ = response.Body.Close() }()
	answer, err := io.ReadAll(io.LimitReader(response.Body, maxAnswer))
	if err != nil {
		return nil, nil, fmt.Errorf("%w: %w", firmware.ErrUnreachable, err)
	}
	return response, answer, nil
}

// problem turns an error answer into an error. A service's own failures wrap firmware.ErrUnreachable.
func problem(doing string, status int, body []byte) error {
	var answer struct {
		Error struct {
			Message string    `json:"message"`
			Info    []Message `json:"@Message.ExtendedInfo"`
		} `json:"error"`
	}
	e := &Error{Status: status, Doing: doing}
	if json.Unmarshal(body, &answer) == nil {
		e.Messages = answer.Error.Info
		if len(e.Messages) == 0 && answer.Error.Message != "" {
			e.Messages = []Message{{Text: answer.Error.Message}}
		}
	}
	if status >= 500 {
		return fmt.Errorf("%w: %w", firmware.ErrUnreachable, e)
	}
	return e
}
