package servertest

import (
	"bufio"
	"context"
	"encoding/json"
	"net/http"
	"strings"
	"testing"

	"zerokeel/live"
)

// Listen opens a server's stream of events as a page does, and returns its messages once it is told everything.
func Listen(t testing.TB, address string) <-chan live.Message {
	t.Helper()
	ctx, cancel := context.WithCancel(context.Background())
	request, err := http.NewRequestWithContext(ctx, http.MethodGet, address+"/api/events", nil)
	if err != nil {
		t.Fatal(err)
	}
	response, err := http.DefaultClient.Do(request)
	if err != nil {
		t.Fatal(err)
	}
	if kind := response.Header.Get("Content-Type"); kind != "text/event-stream" {
		t.Fatalf("the stream is of type %s", kind)
	}
	out := make(chan live.Message, 4096)
	opened, done := make(chan struct{}), make(chan struct{})
	go func() {
		defer close(done)
		defer close(out)
		lines := bufio.NewScanner(response.Body)
		lines.Buffer(nil, 1<<20)
		for lines.Scan() {
			if strings.HasPrefix(lines.Text(), ": linked") {
				close(opened)
			}
			text, ok := strings.CutPrefix(lines.Text(), "data: ")
			if !ok {
				continue
			}
			var m live.Message
			if err := json.Unmarshal([]byte(text), &m); err != nil {
				t.Errorf("message %q: %v", text, err)
				return
			}
			select {
			case out <- m:
			case <-ctx.Done():
				return
			}
		}
	}()
	t.Cleanup(func() {
		cancel()
		_ = response.Body.Close()
		<-done
	})
	<-opened
	return out
}
