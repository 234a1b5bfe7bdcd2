package web_test

import (
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
)

// targets are one form of each room.
var targets = []string{"/lots", "/modules/K-001/inspect", "/modules/K-125/survey", "/modules/K-125/survey/try",
	"/modules/K-202/map/try", "/modules/K-110/trace", "/modules/K-110/hand", "/types/2", "/types/2/face", "/banks",
	"/banks/1/parts", "/banks/2/sense", "/banks/packs", "/banks/standing", "/import", "/leads",
	"/practice/doubled", "/none",
	"/types/3/curve", "/types/3/variants", "/types/2/teardown", "/modules/K-001/pictures",
	"/start?what=modules", "/start?what=cells", "/banks/7/open/gates", "/banks/8/survey", "/banks/8/test",
	"/banks/8/cells", "/banks/8/extend", "/bms", "/bms/1", "/banks/4/test", "/banks/3/design", "/types/1/declare",
	"/lots/1/look", "/lots/1/survey", "/lots/1/results", "/lots/1/logs", "/lots/1/grade", "/modules/K-001/strike",
	"/modules/K-001/delete", "/undo", "/who", "/banks/3/delete", "/lots/1/delete"}

// Whatever is sent to a form, the program answers, and never with a failure of its own.
func FuzzForms(f *testing.F) {
	f.Add(uint8(0), "application/x-www-form-urlencoded", "supplier=x&arrived_on=2026-11-20&price=1e308")
	f.Add(uint8(2), "application/x-www-form-urlencoded", "g1=3,7&g2=NaN&span_from=-9&span_to=999999999999")
	f.Add(uint8(4), "application/x-www-form-urlencoded", "readings=P1+P0+3,2%0AP1+P1+1e300&skip=%00")
	f.Add(uint8(14), "application/x-www-form-urlencoded", "kind=modules&lot=1&data=a;b%0A1;2")
	f.Add(uint8(21), "multipart/form-data; boundary=b", "--b\r\nContent-Disposition: form-data; name=\"picture\"; "+
		"filename=\"a\"\r\n\r\nx\r\n--b--\r\n")
	f.Add(uint8(22), "application/x-www-form-urlencoded", "chemistry=nmc&series=400&taps=between&count=500&class=48")
	f.Add(uint8(26), "application/x-www-form-urlencoded", "capacity_ah=1e9&ended_by=-4&grid=3,3+x")
	f.Add(uint8(36), "application/x-www-form-urlencoded", "grid=K-001+1e12+-5%0A%0A;;;&from_full=yes")
	f.Add(uint8(16), "text/plain", "\x00\xff")
	s := newSite(f, true)
	_, page := s.get("/station/receive")
	guard := csrfField.FindStringSubmatch(page)[1]
	f.Fuzz(func(t *testing.T, at uint8, kind, body string) {
		to := targets[int(at)%len(targets)]
		if strings.HasPrefix(kind, "application/x-www-form-urlencoded") {
			body += "&token=fuzzfuzzfuzz"
		}
		r := httptest.NewRequest(http.MethodPost, to, strings.NewReader(body))
		r.Host = "127.0.0.1:8460"
		r.Header["Content-Type"] = []string{kind}
		r.Header.Set("X-CSRF-Token", guard)
		for k, v := range s.cookies {
			r.AddCookie(&http.Cookie{Name: k, Value: v})
		}
		w := httptest.NewRecorder()
		s.h.ServeHTTP(w, r)
		if w.Code == http.StatusForbidden {
			t.Fatal("the guard of forms stands before all that is to be tried")
		}
		if w.Code >= 500 {
			t.Errorf("%s answered %d to %q", to, w.Code, body)
		}
	})
}
