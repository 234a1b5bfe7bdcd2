package test

import (
	"context"
	"encoding/json"
	"fmt"
	"net/http"
	"sync"
	"time"

	"github.com/labstack/echo/v5"

	"pandrel/web/door"
)

// Bounds of a stream of events: those who listen are few, and come again by themselves.
const (
	streamFor   = 10 * time.Minute
	streamPause = 10 * time.Second // without news something is said all the same, so that a dead line shows
	streamsMost = 64
)

// livingRun is what a page shows of a running test between two pictures of it.
type livingRun struct {
	ID    int64    `json:"id"`
	Now   string   `json:"now"` // step, state and trouble: when it changes the page is drawn anew
	Volts string   `json:"volts,omitempty"`
	Amps  string   `json:"amps,omitempty"`
	Ah    string   `json:"ah,omitempty"`
	TempC string   `json:"temp,omitempty"`
	Left  string   `json:"left,omitempty"`
	Whole string   `json:"whole,omitempty"`
	Ends  string   `json:"ends,omitempty"`
	Cells []string `json:"cells,omitempty"`
}

// living lists the tests that run.
func (sv *Room) living(ctx context.Context) ([]livingRun, error) {
	list, err := sv.Shop.Tests.RunsNow(ctx)
	if err != nil {
		return nil, err
	}
	out := []livingRun{}
	for _, r := range list {
		t := tileOf(r)
		x := livingRun{ID: r.ID, Now: t.Says, Left: t.LeftText, Whole: t.WholeText,
			Ends: sv.Shop.Bench.Now().Add(time.Duration(r.Whole) * time.Second).Format(time.RFC3339)}
		if l := r.Last; l != nil {
			x.Volts, x.Amps = fmt.Sprintf("%.2f", l.Volts), fmt.Sprintf("%+.1f", l.Amps)
			x.Ah, x.TempC = fmt.Sprintf("%+.2f", l.Ah), fmt.Sprintf("%.1f", r.TempC())
		}
		for _, v := range r.Volts {
			x.Cells = append(x.Cells, fmt.Sprintf("%.3f", v))
		}
		out = append(out, x)
	}
	return out, nil
}

// news is what was told last: worked out once for all who listen, and anew when the data may have changed.
type news struct {
	mu         sync.Mutex
	generation uint64
	data       []byte
}

func (n *news) of(generation uint64, work func() ([]byte, error)) ([]byte, error) {
	n.mu.Lock()
	defer n.mu.Unlock()
	if n.data != nil && n.generation == generation {
		return n.data, nil
	}
	data, err := work()
	if err == nil {
		n.data, n.generation = data, generation
	}
	return data, err
}

// events tells a page of running tests whatever is read of them, as soon as it is on record.
func (sv *Room) events(c *echo.Context) error {
	if n := sv.streams.Add(1); n > streamsMost {
		sv.streams.Add(-1)
		return c.NoContent(http.StatusServiceUnavailable) // the page asks again by itself
	}
	defer sv.streams.Add(-1)
	ctx, tell := c.Request().Context(), door.Events(c.Response())
	until := time.After(streamFor)
	for {
		news := sv.Shop.Tests.News.Next()
		data, err := sv.news.of(sv.Shop.Store.Generation(), func() ([]byte, error) {
			list, err := sv.living(ctx)
			if err != nil {
				return nil, err
			}
			return json.Marshal(list)
		})
		if err != nil {
			return err
		}
		if err := tell(data); err != nil {
			return nil //nolint:nilerr // whoever listened is gone
		}
		select {
		case <-news:
		case <-time.After(streamPause):
		case <-until:
			return nil
		case <-door.Ending(ctx):
			return nil
		case <-ctx.Done():
			return nil
		}
	}
}
