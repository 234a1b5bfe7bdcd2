package frame

import (
	"bytes"
	"context"
	"encoding/csv"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"mime"
	"mime/multipart"
	"net/http"
	"path/filepath"

	"github.com/labstack/echo/v5"

	"pandrel/core/base/typed"
	"pandrel/exchange"
	"pandrel/shop/record"
	"pandrel/store"
)

// AsText writes any readable table as text with semicolons. It fails for more than a form may bring back.
func AsText(ctx context.Context, data []byte) (string, error) {
	if !bytes.HasPrefix(data, []byte("PK\x03\x04")) {
		return string(data), nil
	}
	g, err := exchange.ReadGrid(ctx, data)
	if err != nil {
		return "", err
	}
	var b bytes.Buffer
	w := csv.NewWriter(&b)
	w.Comma = ';'
	if err := w.Write(g.Header); err != nil {
		return "", err
	}
	if err := w.WriteAll(g.Rows); err != nil {
		return "", err
	}
	if b.Len() > typed.Table {
		return "", &exchange.Error{Text: fmt.Sprintf("%d kB of text: expected at most %d kB at a time. Send fewer "+
			"lines", b.Len()/1000, typed.Table/1000)}
	}
	return b.String(), nil
}

// maxPictures is how many pictures one form takes.
const maxPictures = 6

// Uploads reads uploaded files of a field. Too many or too large ones become the form's error.
func Uploads(c *echo.Context, f *Form, field string) ([][]byte, error) {
	files, err := sent(c, f, field, maxPictures, "pictures")
	var out [][]byte
	for _, x := range files {
		out = append(out, x.Data)
	}
	return out, err
}

// Named is a file that was sent, with the name it had.
type Named struct {
	Name string
	Data []byte
}

// NamedUploads reads the files of a field with their names, at most so many.
func NamedUploads(c *echo.Context, f *Form, field string, most int) ([]Named, error) {
	return sent(c, f, field, most, "files")
}

// sent reads what came in a field of files; more than most of them mark the field, and none is read.
func sent(c *echo.Context, f *Form, field string, most int, what string) ([]Named, error) {
	mf, err := c.MultipartForm()
	if errors.Is(err, http.ErrNotMultipart) {
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	heads := mf.File[field]
	if len(heads) > most {
		f.Bads[field] = fmt.Sprintf("%d %s: expected at most %d at a time", len(heads), what, most)
		return nil, nil
	}
	var out []Named
	for _, h := range heads {
		if h.Size == 0 {
			continue
		}
		data, err := readFile(h)
		if err != nil {
			return nil, err
		}
		f.Attach(field, data)
		out = append(out, Named{Clip(typed.Clean(filepath.Base(h.Filename)), 120), data})
	}
	return out, nil
}

func readFile(h *multipart.FileHeader) ([]byte, error) {
	src, err := h.Open()
	if err != nil {
		return nil, err
	}
	defer src.Close()
	return io.ReadAll(io.LimitReader(src, exchange.MaxPictureBytes+1))
}

// SendTable sends a table as XLSX, or as CSV.
func SendTable(c *echo.Context, name, sheet string, header []string, rows [][]any, as string) error {
	var b bytes.Buffer
	if as == "xlsx" {
		if err := exchange.WriteSheet(&b, sheet, header, rows); err != nil {
			return err
		}
		return SendFile(c, name+".xlsx", "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet", b.Bytes())
	}
	if as == "json" {
		if err := json.NewEncoder(&b).Encode(objects(header, rows)); err != nil {
			return err
		}
		return SendFile(c, name+".json", "application/json", b.Bytes())
	}
	w := csv.NewWriter(&b)
	_ = w.Write(header) // into memory: cannot fail
	for _, r := range rows {
		line := make([]string, max(len(r), len(header)))
		for i, x := range r {
			line[i] = exchange.Field(x)
		}
		_ = w.Write(line)
	}
	w.Flush()
	return SendFile(c, name+".csv", "text/csv; charset=utf-8", b.Bytes())
}

// objects are the rows of a table as objects by its header; what a row does not have, or nobody knows, is left out.
func objects(header []string, rows [][]any) []map[string]any {
	out := make([]map[string]any, len(rows))
	for i, r := range rows {
		out[i] = map[string]any{}
		for k, x := range r[:min(len(r), len(header))] {
			if x != "" {
				out[i][header[k]] = x
			}
		}
	}
	return out
}

func SendFile(c *echo.Context, name, kind string, data []byte) error {
	c.Response().Header().Set("Content-Disposition",
		mime.FormatMediaType("attachment", map[string]string{"filename": name}))
	return c.Blob(http.StatusOK, kind, data)
}

// KeepPictures takes the pictures of a form's field, and returns what keeps them one after the other, each once: in
// says what they are of.
func (sv *Frame) KeepPictures(c *echo.Context, f *Form, field string, in record.PictureInput) (func() (store.Picture,
	error), error) {
	data, err := Uploads(c, f, field)
	if err != nil {
		return nil, err
	}
	if len(data) == 0 && !f.Bad() {
		f.Bads[field] = "Choose or take a picture: JPEG, PNG or WebP."
	}
	return func() (last store.Picture, err error) {
		for i, d := range data {
			in.Data, in.Token = d, fmt.Sprintf("%s-%d", f.Once(), i)
			if last, err = sv.Shop.Record.AddPicture(c.Request().Context(), in); err != nil && !Again(err) {
				return last, err
			}
		}
		return last, nil
	}, nil
}
