package frame

import (
	"bytes"
	"context"
	"crypto/rand"
	"encoding/hex"
	"net/http"
	"regexp"
	"runtime"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/labstack/echo/v5"

	"pandrel/store"
)

// A page depends on what is on record, on the minute, and on a few things that the browser says. While none of them
// changes it is worked out once: a workshop's tablets all look at the same few pages. What must differ from one
// answer to the next, the guard against forms of other sites and the tokens of forms, is put in anew each time.

// Bounds of what is kept.
const (
	keptPage = 512 << 10 // bytes of one page
	keptAll  = 5 << 20   // of all that are kept in one drawer, of four
)

// kept are pages of one generation of the data. Those that everybody looks at are kept apart from answers to what stood
// in an address, which may be as many as somebody likes to ask.
type kept struct{ plain, asked pair }

// pair are pages that hold as long as the records stay, and those that show readings of running tests, which come each
// second.
type pair struct{ steady, live drawer }

func (k *kept) of(plain bool) *pair {
	if plain {
		return &k.plain
	}
	return &k.asked
}

// state is how far the data is.
type state struct{ records, generation uint64 }

func (sv *Frame) state() state { return state{sv.Shop.Store.Records(), sv.Shop.Store.Generation()} }

func (k *kept) find(plain bool, at state, key string) *keptBody {
	if p := k.of(plain).steady.find(at.records, key); p != nil {
		return p
	}
	return k.of(plain).live.find(at.generation, key)
}

func (k *kept) put(plain, live bool, at state, key string, p *keptBody) {
	if live {
		k.of(plain).live.put(at.generation, key, p)
		return
	}
	k.of(plain).steady.put(at.records, key, p)
}

// drawer is a bounded number of pages of one generation.
type drawer struct {
	lock       sync.Mutex
	generation uint64
	pages      map[string]*keptBody
	size       int
}

// keptBody is a page in pieces; before each piece but the first stands a value of its own: 0 the guard, and from 1 on
// the tokens of its forms, in the order in which they were met.
type keptBody struct {
	kind   string
	pieces [][]byte
	values []int
	tokens int
}

// tokenOf finds the tokens of a page's forms.
var tokenOf = regexp.MustCompile(`name="token" value="([0-9a-f]{24})"`)

// split takes the values out of a page that must differ in each answer.
func split(body []byte, guard string) *keptBody {
	values := []string{guard}
	seen := map[string]bool{guard: true}
	for _, m := range tokenOf.FindAllSubmatch(body, -1) {
		if t := string(m[1]); !seen[t] {
			seen[t] = true
			values = append(values, t)
		}
	}
	type place struct{ at, value int }
	var places []place
	for i, v := range values {
		for from := 0; v != ""; {
			at := bytes.Index(body[from:], []byte(v))
			if at < 0 {
				break
			}
			places = append(places, place{from + at, i})
			from += at + len(v)
		}
	}
	slices.SortFunc(places, func(a, b place) int { return a.at - b.at })
	k := &keptBody{tokens: len(values) - 1}
	last := 0
	for _, p := range places {
		if p.at < last {
			continue // within the one before
		}
		k.pieces = append(k.pieces, bytes.Clone(body[last:p.at]))
		k.values = append(k.values, p.value)
		last = p.at + len(values[p.value])
	}
	k.pieces = append(k.pieces, bytes.Clone(body[last:]))
	return k
}

// whole is the page with a guard and fresh tokens.
func (k *keptBody) whole(guard string) []byte {
	values := make([]string, k.tokens+1)
	values[0] = guard
	for i := 1; i <= k.tokens; i++ {
		values[i] = freshToken()
	}
	var b bytes.Buffer
	for i, p := range k.pieces {
		if i > 0 {
			b.WriteString(values[k.values[i-1]])
		}
		b.Write(p)
	}
	return b.Bytes()
}

// freshToken names one sending of a form.
func freshToken() string {
	b := make([]byte, 12)
	if _, err := rand.Read(b); err != nil {
		panic(err)
	}
	return hex.EncodeToString(b)
}

// find returns a page of this generation of the data, nil where there is none.
func (k *drawer) find(generation uint64, key string) *keptBody {
	k.lock.Lock()
	defer k.lock.Unlock()
	if k.generation != generation {
		return nil
	}
	return k.pages[key]
}

// put keeps a page, and forgets those of older data.
func (k *drawer) put(generation uint64, key string, p *keptBody) {
	n := len(key)
	for _, x := range p.pieces {
		n += len(x)
	}
	k.lock.Lock()
	defer k.lock.Unlock()
	if generation < k.generation {
		return
	}
	if generation > k.generation || k.pages == nil || k.size+n > keptAll {
		k.pages, k.size, k.generation = map[string]*keptBody{}, 0, generation
	}
	if k.pages[key] == nil {
		k.size += n
	}
	k.pages[key] = p
}

// keepPages answers from what was worked out before where nothing changed since.
func (sv *Frame) keepPages(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		r := c.Request()
		uri := r.URL.RequestURI()
		// Practice draws lots, and an address that is very long is nobody's bookmark.
		if r.Method != http.MethodGet || len(uri) > 300 || len(r.Header.Get("Cookie")) > 2000 ||
			strings.HasPrefix(r.URL.Path, "/practice") || strings.HasSuffix(r.URL.Path, "/events") ||
			sv.Shop.Store.Here() != nil { // each page must say that
			return next(c)
		}
		at, guard := sv.state(), csrf(c)
		key, plain := sv.key(c, sv.asked.of(c.Path()))
		if p := sv.kept.find(plain, at, key); p != nil {
			return c.Blob(http.StatusOK, p.kind, p.whole(guard))
		}
		run, first := sv.making.join(key)
		for !first {
			select {
			case <-run.over:
			case <-r.Context().Done():
				return r.Context().Err()
			}
			if !run.left {
				break
			}
			run, first = sv.making.join(key)
		}
		if first {
			defer run.end()
			return sv.make(c, next, at, guard, run)
		}
		if run.page != nil { // begun after this request came: it holds whatever was saved before
			return c.Blob(http.StatusOK, run.page.kind, run.page.whole(guard))
		}
		return sv.make(c, next, sv.state(), guard, nil)
	}
}

// make works a page out and keeps it. A run ends before anything of it is sent: those who wait for the page do not wait
// for whoever asked first, too.
func (sv *Frame) make(c *echo.Context, next echo.HandlerFunc, at state, guard string, run *run) error {
	if run != nil {
		if err := run.begin(c.Request().Context()); err != nil {
			return err
		}
		at = sv.state()
		key, plain := sv.key(c, sv.asked.of(c.Path()))
		if p := sv.kept.find(plain, at, key); p != nil { // the run before made it, and nothing was saved since
			run.gives(p, key)
			run.end()
			return c.Blob(http.StatusOK, p.kind, p.whole(guard))
		}
	}
	saw := looked{}
	c.Set(lookedKey, saw)
	ctx, live := store.Watched(c.Request().Context())
	c.SetRequest(c.Request().WithContext(ctx))
	cookies := len(c.Response().Header()["Set-Cookie"])
	w := &listening{ResponseWriter: c.Response(), goesOn: run.end}
	c.SetResponse(w)
	err := next(c)
	c.SetResponse(w.ResponseWriter)
	if err != nil {
		if run != nil {
			run.left = ctx.Err() != nil
		}
		run.end()
		return err // an error page is made of it, where nothing was sent yet
	}
	key, plain := sv.key(c, sv.asked.learn(c.Path(), saw))
	if w.code == http.StatusOK && !w.through && len(w.Header()["Set-Cookie"]) == cookies &&
		w.Header().Get("Content-Disposition") == "" {
		p := split(w.body.Bytes(), guard)
		p.kind = w.Header().Get("Content-Type")
		run.gives(p, key)
		if sv.holds(at, live.Load()) {
			sv.kept.put(plain, live.Load(), at, key, p)
		}
	}
	run.end()
	return w.pass()
}

// holds reports whether a page that was begun with the data as it was then is still what it says.
func (sv *Frame) holds(at state, live bool) bool {
	now := sv.state()
	return now.records == at.records && (!live || now.generation == at.generation)
}

// listening holds a page back until it is whole, and remembers it. What is no page, or longer than is kept, passes
// through.
type listening struct {
	http.ResponseWriter
	code    int
	body    bytes.Buffer
	through bool
	goesOn  func() // called before anything passes through
}

func (w *listening) WriteHeader(code int) {
	if w.code == 0 {
		w.code = code
	}
	if w.through || !strings.HasPrefix(w.Header().Get("Content-Type"), "text/html") {
		_ = w.pass() // the header alone: cannot fail
	}
}

func (w *listening) Write(p []byte) (int, error) {
	if w.code == 0 {
		w.WriteHeader(http.StatusOK)
	}
	if !w.through && w.body.Len()+len(p) > keptPage {
		if err := w.pass(); err != nil {
			return 0, err
		}
	}
	if w.through {
		return w.ResponseWriter.Write(p)
	}
	return w.body.Write(p)
}

// pass sends what was held back, and whatever comes after it at once.
func (w *listening) pass() error {
	if w.through || w.code == 0 {
		return nil
	}
	w.through = true
	w.goesOn()
	w.ResponseWriter.WriteHeader(w.code)
	_, err := w.ResponseWriter.Write(w.body.Bytes())
	return err
}

// Unwrap is for http.ResponseController and for echo.
func (w *listening) Unwrap() http.ResponseWriter { return w.ResponseWriter }

// making are the pages that are being worked out. Who asks for one of them is given the next run of it, which begins
// when the one under way is over: that one may have read before something was saved that this request must see. However
// many ask, each page is worked out once at a time.
type making struct {
	lock  sync.Mutex
	slots chan struct{}   // of the pages that are worked out side by side
	pages map[string]*run // the newest of each, which has not begun yet or has none behind it
}

// run is a page that is worked out once for all who asked before it began.
type run struct {
	making *making
	key    string
	before *run          // that is under way, nil for none
	begun  bool          // who comes now waits for the next one
	over   chan struct{} // closed at its end
	page   *keptBody     // nil where it became none
	slot   bool          // it holds one
	left   bool          // whoever worked it out went away before it was done: who waits asks again
	once   sync.Once
}

// More pages side by side than the machine has cores make each of them late, and none sooner. One that takes long does
// not hold the others up: who had to wait for a slot this long goes on without one.
var sideBySide = runtime.GOMAXPROCS(0) + 1

const longestWait = 300 * time.Millisecond

// takeSlot waits for one of the slots.
func (r *run) takeSlot(ctx context.Context) {
	patience := time.NewTimer(longestWait)
	defer patience.Stop()
	select {
	case r.making.slots <- struct{}{}:
		r.slot = true
	case <-patience.C:
	case <-ctx.Done():
	}
}

// join returns the run that a request waits for; first is whether it is the one that works it out.
func (m *making) join(key string) (r *run, first bool) {
	m.lock.Lock()
	defer m.lock.Unlock()
	if m.pages == nil {
		m.pages = map[string]*run{}
		m.slots = make(chan struct{}, sideBySide)
	}
	newest := m.pages[key]
	if newest != nil && !newest.begun {
		return newest, false
	}
	r = &run{making: m, key: key, before: newest, over: make(chan struct{})}
	m.pages[key] = r
	return r, true
}

// begin waits for the run before.
func (r *run) begin(ctx context.Context) error {
	if r.before != nil {
		select {
		case <-r.before.over:
		case <-ctx.Done():
			r.left = true
			r.end()
			return ctx.Err()
		}
		r.before = nil
	}
	r.takeSlot(ctx)
	r.making.lock.Lock()
	defer r.making.lock.Unlock()
	r.begun = true
	return nil
}

// gives hands the page to those who wait, where it looked at no more than they asked alike.
func (r *run) gives(p *keptBody, key string) {
	if r != nil && key == r.key {
		r.page = p
	}
}

// end lets those go on who wait. It does nothing for no run.
func (r *run) end() {
	if r == nil {
		return
	}
	r.once.Do(func() {
		r.making.lock.Lock()
		defer r.making.lock.Unlock()
		r.begun = true
		if r.making.pages[r.key] == r {
			delete(r.making.pages, r.key)
		}
		close(r.over)
		if r.slot {
			<-r.making.slots
		}
	})
}
