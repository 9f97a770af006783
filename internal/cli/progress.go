package cli

import (
	"fmt"
	"strings"
	"sync/atomic"
	"time"

	"revuelta/internal/run"
)

// progress shows how far long work has come, on a terminal only, and gives what ends the showing.
func (a *app) progress(env *run.Env) (stop func()) {
	if !isTerminal(a.Err) {
		return func() {}
	}
	env.Bytes = new(atomic.Int64)
	var total atomic.Int64
	env.Total = func(n int64) { total.Store(n) }
	done, ended := make(chan struct{}), make(chan struct{})
	go func() {
		defer close(ended)
		tick := time.NewTicker(200 * time.Millisecond)
		defer tick.Stop()
		began, drawn := time.Now(), false
		for {
			select {
			case <-done:
				if drawn {
					fmt.Fprint(a.Err, "\r\x1b[K")
				}
				return
			case now := <-tick.C:
				if now.Sub(began) < time.Second {
					continue
				}
				drawn = true
				fmt.Fprint(a.Err, "\r\x1b[K"+bar(env.Bytes.Load(), total.Load(), now.Sub(began)))
			}
		}
	}()
	return func() { close(done); <-ended }
}

// bar draws the part that is done.
func bar(read, total int64, passed time.Duration) string {
	mb := float64(read) / 1e6
	if total <= 0 {
		return fmt.Sprintf("  %.0f MB read, %.0f s", mb, passed.Seconds())
	}
	const cells = 30
	part := min(float64(read)/float64(total), 1)
	n := int(part * cells)
	return fmt.Sprintf("  %s%s %3.0f %%  %.0f of %.0f MB, %.0f s", strings.Repeat("▪", n), strings.Repeat("·", cells-n), part*100, mb, float64(total)/1e6, passed.Seconds())
}
