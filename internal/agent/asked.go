package agent

import (
	"context"
	"path/filepath"

	"github.com/fsnotify/fsnotify"
)

// watchAsks tells when somebody at the device asks for an exchange, until the context ends. An agent that cannot watch
// its own directory checks in as it always does.
func (a *Agent) watchAsks(ctx context.Context) <-chan struct{} {
	asked := make(chan struct{}, 1)
	w, err := fsnotify.NewWatcher()
	if err == nil {
		err = w.Add(a.Dir)
	}
	if err != nil {
		a.Log.Warn("check-ins by hand are not seen", "error", err)
		return asked
	}
	go func() {
		defer w.Close()
		for {
			select {
			case <-ctx.Done():
				return
			case e := <-w.Events:
				if filepath.Base(e.Name) != askFile || !e.Has(fsnotify.Create|fsnotify.Write) {
					continue
				}
				select {
				case asked <- struct{}{}:
				default: // it was told already
				}
			case <-w.Errors: // the next check-in sees what was missed
			}
		}
	}()
	return asked
}
