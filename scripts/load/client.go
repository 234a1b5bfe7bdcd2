package main

import (
	"bufio"
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"mime/multipart"
	"net/http"
	"net/http/cookiejar"
	"net/url"
	"os"
	"os/exec"
	"regexp"
	"strings"
	"time"
)

// program is Pandrel as it is served, in a process of its own.
type program struct {
	cmd   *exec.Cmd
	url   string
	ready time.Duration // from its start to its first line
	log   *bytes.Buffer
}

// start serves the workshop in dir and waits until it says where.
func start(dir string) (*program, error) {
	p := &program{cmd: exec.Command("bin/pandrel", "serve", "--data", dir, "--listen", "127.0.0.1:0"),
		log: &bytes.Buffer{}}
	p.cmd.Stderr = p.log
	out, err := p.cmd.StdoutPipe()
	if err != nil {
		return nil, err
	}
	begin := time.Now()
	if err := p.cmd.Start(); err != nil {
		return nil, err
	}
	line, err := bufio.NewReader(out).ReadString('\n')
	if err != nil {
		_ = p.cmd.Wait()
		return nil, fmt.Errorf("it did not start: %w: %s", err, p.log)
	}
	p.ready = time.Since(begin)
	p.url = strings.TrimSpace(line[strings.Index(line, "http://"):])
	return p, nil
}

// kill ends the program as a power cut does.
func (p *program) kill() {
	_ = p.cmd.Process.Kill()
	_ = p.cmd.Wait() // killed: its status says so
}

// peak is the most memory the program ever took, in MiB, as the system counts it.
func (p *program) peak() (int, error) {
	f, err := os.ReadFile(fmt.Sprintf("/proc/%d/status", p.cmd.Process.Pid))
	if err != nil {
		return 0, err
	}
	var kb int
	for _, line := range strings.Split(string(f), "\n") {
		if rest, ok := strings.CutPrefix(line, "VmHWM:"); ok {
			_, err = fmt.Sscan(rest, &kb)
		}
	}
	return kb >> 10, err
}

// browser is one person's browser.
type browser struct {
	base string
	http *http.Client
	csrf string
}

func (p *program) browser() *browser {
	jar, err := cookiejar.New(nil)
	if err != nil {
		panic(err) // without options it cannot fail
	}
	return &browser{p.url, &http.Client{Jar: jar, Timeout: time.Minute,
		CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }}, ""}
}

var csrfField = regexp.MustCompile(`name="_csrf" value="([^"]+)"`)

// get fetches a page and remembers the guard of its forms.
func (b *browser) get(ctx context.Context, path string) (int, []byte, error) {
	r, err := http.NewRequestWithContext(ctx, http.MethodGet, b.base+path, nil)
	if err != nil {
		return 0, nil, err
	}
	return b.send(r)
}

func (b *browser) send(r *http.Request) (int, []byte, error) {
	resp, err := b.http.Do(r)
	if err != nil {
		return 0, nil, err
	}
	defer resp.Body.Close()
	body, err := io.ReadAll(resp.Body)
	if m := csrfField.FindSubmatch(body); m != nil {
		b.csrf = string(m[1])
	}
	return resp.StatusCode, body, err
}

// post sends a form as a page does; it is acknowledged where the answer leads on.
func (b *browser) post(ctx context.Context, path, token string, v url.Values) error {
	v.Set("_csrf", b.csrf)
	v.Set("token", token)
	r, err := http.NewRequestWithContext(ctx, http.MethodPost, b.base+path, strings.NewReader(v.Encode()))
	if err != nil {
		return err
	}
	r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
	return acknowledged(b.send(r))
}

var errNotTaken = errors.New("not taken")

func acknowledged(code int, body []byte, err error) error {
	if err == nil && code != http.StatusSeeOther {
		err = fmt.Errorf("%w: %d: %.300s", errNotTaken, code, body)
	}
	return err
}

// attached is a file of a form, in its field.
type attached struct {
	field, name string
	data        []byte
}

// upload sends a form with a file.
func (b *browser) upload(ctx context.Context, path, token string, a attached, v url.Values) (int, []byte, error) {
	field, name, data := a.field, a.name, a.data
	var body bytes.Buffer
	w := multipart.NewWriter(&body)
	_ = w.WriteField("_csrf", b.csrf) // ahead of everything, as a page sends it
	v.Set("token", token)
	for k, list := range v {
		for _, s := range list {
			_ = w.WriteField(k, s) // into memory: cannot fail
		}
	}
	part, err := w.CreateFormFile(field, name)
	if err != nil {
		return 0, nil, err
	}
	_, _ = part.Write(data)
	_ = w.Close()
	r, err := http.NewRequestWithContext(ctx, http.MethodPost, b.base+path, &body)
	if err != nil {
		return 0, nil, err
	}
	r.Header.Set("Content-Type", w.FormDataContentType())
	return b.send(r)
}
