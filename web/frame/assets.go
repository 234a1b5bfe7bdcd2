package frame

import (
	"bytes"
	"compress/gzip"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"io"
	"io/fs"
	"mime"
	"net/http"
	"path"
	"regexp"
	"strings"
	"sync"
	"time"

	"github.com/andybalholm/brotli"
	"github.com/labstack/echo/v5"
)

// assets are the files that ship with the pages. Their addresses hold a digest of them all, so that a browser may keep
// them for ever and still never mixes those of two versions; within a version they find each other by relative names.
type assets struct {
	files map[string]*asset
	tag   string
}

// asset is one file, with its packed forms once they were asked for.
type asset struct {
	data   []byte
	kind   string
	etag   string
	packed map[string]func() []byte
}

const assetRoot = "/static/"

// why are the lines of our own scripts that only say why: they are read where the scripts are written.
var why = regexp.MustCompile(`(?m)^[ \t]*//.*\n`)

// loadAssets reads all files below root once.
func loadAssets(root fs.FS) (*assets, error) {
	a := &assets{files: map[string]*asset{}}
	all := sha256.New()
	err := fs.WalkDir(root, ".", func(name string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() {
			return err
		}
		data, err := fs.ReadFile(root, name)
		if err != nil {
			return err
		}
		kind := mime.TypeByExtension(path.Ext(name))
		if path.Ext(name) == ".js" {
			kind = "text/javascript; charset=utf-8"
			if !strings.HasPrefix(name, "vendor/") {
				data = why.ReplaceAll(data, nil)
			}
		}
		sum := sha256.Sum256(data)
		fmt.Fprintf(all, "%s %x\n", name, sum)
		f := &asset{data: data, kind: kind, etag: `"` + hex.EncodeToString(sum[:8]) + `"`}
		if worthPacking(f.kind) {
			f.packed = map[string]func() []byte{
				"br":   sync.OnceValue(func() []byte { return packed(data, brotliWriter) }),
				"gzip": sync.OnceValue(func() []byte { return packed(data, gzipWriter) }),
			}
		}
		a.files[name] = f
		return nil
	})
	a.tag = "v" + hex.EncodeToString(all.Sum(nil)[:6])
	return a, err
}

// worthPacking leaves out what is packed already: fonts and pictures.
func worthPacking(kind string) bool {
	return strings.HasPrefix(kind, "text/") || strings.Contains(kind, "svg") || strings.Contains(kind, "json")
}

func brotliWriter(w io.Writer) io.WriteCloser { return brotli.NewWriterLevel(w, 9) }

func gzipWriter(w io.Writer) io.WriteCloser {
	z, err := gzip.NewWriterLevel(w, gzip.BestCompression)
	if err != nil {
		panic(err) // the level is one of the package's own
	}
	return z
}

func packed(data []byte, writer func(io.Writer) io.WriteCloser) []byte {
	var b bytes.Buffer
	w := writer(&b)
	_, err := w.Write(data)
	if err == nil {
		err = w.Close()
	}
	if err != nil {
		panic(err) // into memory: cannot fail
	}
	return b.Bytes()
}

// address is where a file is found, for templates.
func (a *assets) address(name string) (string, error) {
	if a.files[name] == nil {
		return "", fmt.Errorf("no file %s among those that ship with the pages", name)
	}
	return assetRoot + a.tag + "/" + name, nil
}

// serve answers for files below /static/ and leaves everything else to next. It stands before all that sets a cookie.
func (a *assets) serve(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		r := c.Request()
		name, ok := strings.CutPrefix(r.URL.Path, assetRoot)
		if !ok || r.Method != http.MethodGet && r.Method != http.MethodHead {
			return next(c)
		}
		h := c.Response().Header()
		h.Set("Cache-Control", "no-cache")
		if tag, rest, ok := strings.Cut(name, "/"); ok && strings.HasPrefix(tag, "v") && len(tag) == len(a.tag) {
			name = rest
			if tag == a.tag { // a page of an older version gets what there is now, and does not keep it
				h.Set("Cache-Control", "public, max-age=31536000, immutable")
			}
		}
		f := a.files[name]
		if f == nil {
			h.Set("Cache-Control", "no-cache")
			return echo.ErrNotFound
		}
		h.Set("Content-Type", f.kind)
		data, etag := f.data, f.etag
		if f.packed != nil {
			h.Set("Vary", "Accept-Encoding")
			for _, way := range []string{"br", "gzip"} {
				if accepts(r.Header.Get("Accept-Encoding"), way) {
					data, etag = f.packed[way](), strings.TrimSuffix(etag, `"`)+"-"+way+`"`
					h.Set("Content-Encoding", way)
					break
				}
			}
		}
		h.Set("ETag", etag)
		http.ServeContent(c.Response(), r, "", time.Time{}, bytes.NewReader(data))
		return nil
	}
}

// accepts reports whether a browser takes a way of packing.
func accepts(header, way string) bool {
	for _, part := range strings.Split(header, ",") {
		name, params, _ := strings.Cut(strings.TrimSpace(part), ";")
		if strings.TrimSpace(name) == way {
			q, ok := strings.CutPrefix(strings.ReplaceAll(params, " ", ""), "q=")
			return !ok || strings.Trim(q, "0.") != ""
		}
	}
	return false
}
