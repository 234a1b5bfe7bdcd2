package frame

import (
	"strings"
	"testing"
)

func TestWhatIsSplitComesTogether(t *testing.T) {
	page := `<input name="_csrf" value="guard-of-a"><input name="token" value="0123456789abcdef01234567">` +
		`<input name="token" value="aaaaaaaaaaaaaaaaaaaaaaaa"><a data-t="0123456789abcdef01234567">guard-of-a</a>`
	k := split([]byte(page), "guard-of-a")
	got := string(k.whole("guard-of-b"))
	if strings.Contains(got, "guard-of-a") || strings.Count(got, "guard-of-b") != 2 ||
		strings.Contains(got, "aaaaaaaa") {
		t.Error(got)
	}
	m := tokenOf.FindAllStringSubmatch(got, -1)
	if len(m) != 2 || m[0][1] == m[1][1] || strings.Count(got, m[0][1]) != 2 {
		t.Errorf("a token that stood twice must stay one: %s", got)
	}
	if again := string(k.whole("guard-of-b")); again == got {
		t.Error("the same tokens were given out twice")
	}
}

func TestKeptPagesAreBounded(t *testing.T) {
	var k drawer
	body := &keptBody{pieces: [][]byte{make([]byte, keptPage)}}
	for i := range 3 * keptAll / keptPage {
		k.put(7, strings.Repeat("x", i+1), body)
		if k.size > keptAll+keptPage {
			t.Fatalf("%d bytes are kept", k.size)
		}
	}
	if k.put(6, "old", body); k.find(6, "old") != nil || k.find(7, "old") != nil {
		t.Error("a page of older data was kept")
	}
	if k.put(8, "new", body); k.find(7, "x") != nil || k.find(8, "new") == nil {
		t.Error("pages of older data stayed")
	}
}

func TestWhatABrowserAccepts(t *testing.T) {
	for header, want := range map[string]bool{"br": true, "gzip, deflate, br": true, "gzip;q=1.0, br;q=0.5": true,
		"br;q=0": false, "br; q=0.0": false, "": false, "brotli": false, "*": false} {
		t.Run(header, func(t *testing.T) {
			if got := accepts(header, "br"); got != want {
				t.Errorf("%v", got)
			}
		})
	}
}
