package frame

import (
	"bytes"
	"crypto/rand"
	"encoding/hex"
	"fmt"
	"net/http"
	"regexp"
	"strings"
	"sync"

	"github.com/labstack/echo/v5"
)

// A page depends on what is on record, on the minute, and on a few things that the browser says. While none of them
// changes it is worked out once: a workshop's tablets all look at the same few pages. What must differ from one
// answer to the next, the guard against forms of other sites and the tokens of forms, is put in anew each time.

// Bounds of what is kept.
const (
	keptPage = 512 << 10 // bytes of one page
	keptAll  = 12 << 20  // of all of them
)

// kept are the pages of one generation of the data.
type kept struct {
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
	index := map[string]int{}
	list := []string{}
	if guard != "" {
		index[guard] = 0
		list = append(list, regexp.QuoteMeta(guard))
	}
	k := &keptBody{}
	for _, m := range tokenOf.FindAllSubmatch(body, -1) {
		t := string(m[1])
		if _, ok := index[t]; !ok {
			k.tokens++
			index[t] = k.tokens
			list = append(list, t)
		}
	}
	if len(list) == 0 {
		k.pieces = [][]byte{bytes.Clone(body)}
		return k
	}
	last := 0
	for _, at := range regexp.MustCompile(strings.Join(list, "|")).FindAllIndex(body, -1) {
		k.pieces = append(k.pieces, bytes.Clone(body[last:at[0]]))
		k.values = append(k.values, index[string(body[at[0]:at[1]])])
		last = at[1]
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
func (k *kept) find(generation uint64, key string) *keptBody {
	k.lock.Lock()
	defer k.lock.Unlock()
	if k.generation != generation {
		return nil
	}
	return k.pages[key]
}

// put keeps a page, and forgets those of older data.
func (k *kept) put(generation uint64, key string, p *keptBody) {
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

// said is all that a page may depend on beside the data: where it is, the minute, and what the browser says.
func (sv *Frame) said(c *echo.Context) string {
	r := c.Request()
	var b strings.Builder
	fmt.Fprintf(&b, "%s|%s|%q|%q|%d", r.Host, r.URL.RequestURI(), r.Header.Get("HX-Request"), r.Header.Get("HX-Target"),
		sv.Shop.Now().Unix()/60)
	for _, k := range r.Cookies() { // the guard is put in anew, and what was saved is for the page's script
		if k.Name != guardCookie && k.Name != savedCookie {
			fmt.Fprintf(&b, "|%s=%q", k.Name, k.Value)
		}
	}
	return b.String()
}

// keepPages answers from what was worked out before where nothing changed since.
func (sv *Frame) keepPages(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		r := c.Request()
		uri := r.URL.RequestURI()
		// Practice draws lots, and an address that is very long is nobody's bookmark.
		if r.Method != http.MethodGet || len(uri) > 300 || len(r.Header.Get("Cookie")) > 2000 ||
			strings.HasPrefix(r.URL.Path, "/practice") || strings.HasSuffix(r.URL.Path, "/events") {
			return next(c)
		}
		generation, key, guard := sv.Shop.Store.Generation(), sv.said(c), csrf(c)
		if p := sv.kept.find(generation, key); p != nil {
			return c.Blob(http.StatusOK, p.kind, p.whole(guard))
		}
		cookies := len(c.Response().Header()["Set-Cookie"])
		w := &listening{ResponseWriter: c.Response()}
		c.SetResponse(w)
		err := next(c)
		c.SetResponse(w.ResponseWriter)
		kind := w.Header().Get("Content-Type")
		if err == nil && w.code == http.StatusOK && !w.over && strings.HasPrefix(kind, "text/html") &&
			len(w.Header()["Set-Cookie"]) == cookies && w.Header().Get("Content-Disposition") == "" &&
			generation == sv.Shop.Store.Generation() {
			p := split(w.body.Bytes(), guard)
			p.kind = kind
			sv.kept.put(generation, key, p)
		}
		return err
	}
}

// listening passes an answer on and remembers it.
type listening struct {
	http.ResponseWriter
	code int
	body bytes.Buffer
	over bool // longer than is kept
}

func (w *listening) WriteHeader(code int) {
	w.code = code
	w.ResponseWriter.WriteHeader(code)
}

func (w *listening) Write(p []byte) (int, error) {
	if w.code == 0 {
		w.code = http.StatusOK
	}
	if w.body.Len()+len(p) > keptPage {
		w.over = true
		w.body = bytes.Buffer{}
	} else if !w.over {
		w.body.Write(p)
	}
	return w.ResponseWriter.Write(p)
}

// Unwrap is for http.ResponseController and for echo.
func (w *listening) Unwrap() http.ResponseWriter { return w.ResponseWriter }
