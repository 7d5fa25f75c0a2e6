module zerokeel

go 1.26.0

require gonum.org/v1/gonum v0.17.0

require (
	github.com/cenkalti/backoff/v5 v5.0.3 // indirect
	github.com/coder/websocket v1.8.15 // indirect
)
