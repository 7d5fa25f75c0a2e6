package workshop

import (
	"context"

	"zerokeel/core/channel"
)

// KnownChannels lists the channels that the application gives a meaning to.
func (w *Workshop) KnownChannels(ctx context.Context) ([]channel.Def, error) {
	if err := may(ctx, look, 0); err != nil {
		return nil, err
	}
	return channel.Registry, nil
}
