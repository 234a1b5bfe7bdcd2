package door

import (
	"errors"
	"io"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"time"
)

// A body that hardly moves is given up after a while; one that moves may take as long as it needs.
func TestABodyMustMove(t *testing.T) {
	for _, c := range []struct {
		name  string
		begin time.Duration // how long ago
		came  int64
		slow  bool
	}{
		{"just begun", 0, 0, false},
		{"within the time of grace", graceTime - time.Second, 0, false},
		{"nothing came since", 2 * graceTime, 100, true},
		{"a large log over a slow radio", 10 * time.Minute, 60 << 20, false},
		{"a drop now and then", 10 * time.Minute, 1 << 20, true},
	} {
		t.Run(c.name, func(t *testing.T) {
			b := &pacedBody{ReadCloser: io.NopCloser(strings.NewReader("more")), begin: time.Now().Add(-c.begin),
				n: c.came, ctl: http.NewResponseController(httptest.NewRecorder())}
			_, err := b.Read(make([]byte, 10))
			if errors.Is(err, errSlow) != c.slow {
				t.Errorf("%v", err)
			}
		})
	}
}
