package web_test

import (
	"context"
	"net/http"
	"net/http/httptest"
	"net/url"
	"strings"
	"testing"

	"pandrel/demo"
)

// benchLive posts a form again and again, as a page does while somebody types.
func benchLive(b *testing.B, page, action string, values url.Values) {
	b.Helper()
	s := newSite(b, true)
	if err := demo.Crowd(context.Background(), s.st, 1, 5000, now); err != nil {
		b.Fatal(err)
	}
	code, body := s.get(page)
	if code != http.StatusOK {
		b.Fatalf("%s: %d", page, code)
	}
	values.Set("_csrf", csrfField.FindStringSubmatch(body)[1])
	values.Set("token", "a-token-of-the-page")
	text := values.Encode()
	b.ReportAllocs()
	for b.Loop() {
		r := httptest.NewRequest(http.MethodPost, action, strings.NewReader(text))
		r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
		r.Header.Set("Sec-Fetch-Site", "same-origin")
		if w := s.do(r); w.Code >= 500 || w.Code == http.StatusForbidden {
			b.Fatalf("%s: %d", action, w.Code)
		}
	}
}

func BenchmarkTryMap(b *testing.B) {
	benchLive(b, "/modules/K-008/map", "/modules/K-008/map/try", url.Values{
		"readings": {"P+ P- 13,32\nT1 P- 0,00\nT2 T1 3,33\nT3 T2 3,33\nT4 T3 3,33\nT5 T4 3,33\n"},
	})
}

func BenchmarkTrySurvey(b *testing.B) {
	benchLive(b, "/modules/K-125/survey", "/modules/K-125/survey/try", url.Values{
		"g1": {"3,712"}, "g2": {"3,711"}, "g3": {"3,713"}, "g4": {"3,710"}, "accuracy_mv": {"4"},
	})
}

func BenchmarkTrySurveyFromAPhotograph(b *testing.B) {
	benchLive(b, "/modules/K-126/survey?picture=3", "/modules/K-126/survey/try", url.Values{
		"g1": {"3,712"}, "g2": {"3,711"}, "g3": {"3,713"}, "g4": {"3,710"}, "accuracy_mv": {"4"}, "picture": {"3"},
	})
}

// A sense check that is refused builds the page once.
func BenchmarkSenseCheck(b *testing.B) {
	benchLive(b, "/banks/2", "/banks/2/sense", url.Values{"bms": {"B1"}, "s0": {"0"}, "s1": {"x"}})
}

func BenchmarkBank(b *testing.B) { benchPage(b, "/banks/2") }
func BenchmarkLot(b *testing.B)  { benchPage(b, "/lots/1") }
func BenchmarkType(b *testing.B) { benchPage(b, "/types/2") }
