package door

import (
	"fmt"
	"net/http"
)

// Events begins a stream of events, and returns what tells one at once. It fails where whoever listened is gone.
func Events(w http.ResponseWriter) func(data []byte) error {
	w.Header().Set("Content-Type", "text/event-stream")
	w.Header().Set("Cache-Control", "no-store")
	flush := http.NewResponseController(w)
	return func(data []byte) error {
		if _, err := fmt.Fprintf(w, "data: %s\n\n", data); err != nil {
			return err
		}
		return flush.Flush()
	}
}
