package web_test

import (
	"net/http"
	"net/url"
	"strings"
	"testing"
	"time"

	"pandrel/store"
)

// A workshop has a clock on its wall: times are shown and typed by it, whatever zone it is in, and kept as UTC.
func TestTheClockOnTheWall(t *testing.T) {
	for _, hours := range []int{-8, 0, 9} {
		zone := time.FixedZone("there", hours*3600)
		t.Run(zone.String(), func(t *testing.T) {
			sv := newSite(t, true)
			sv.shop.Zone = zone
			typed := now.In(zone).Add(-2 * time.Hour).Format("2006-01-02T15:04")
			form := url.Values{"by": {"AK"}, "taken_at": {typed}, "rest_min": {"600"}, "instrument": {"meter"}}
			for g := range 7 {
				form.Set("g"+string(rune('1'+g)), "3.78"+string(rune('0'+g)))
			}
			const survey = "/modules/K-125/survey"
			if w := sv.form(survey, survey, form); w.Code != http.StatusSeeOther {
				t.Fatalf("typed %s: %d %s", typed, w.Code, w.Body)
			}
			var row store.Survey
			if err := sv.st.DB.Order("id DESC").First(&row).Error; err != nil {
				t.Fatal(err)
			}
			if want := now.Add(-2 * time.Hour).Truncate(time.Minute); !row.TakenAt.Equal(want) {
				t.Errorf("typed %s, kept %s: want %s", typed, row.TakenAt, want)
			}
			_, page := sv.get("/modules/K-125")
			if shown := strings.Replace(typed, "T", " ", 1); !strings.Contains(page, ">"+shown+"</time>") {
				t.Errorf("typed %s, and the page shows another time", typed)
			}
			// What lies ahead is refused by the same clock.
			form.Set("taken_at", now.In(zone).Add(2*time.Hour).Format("2006-01-02T15:04"))
			form.Set("g1", "3.779")
			if w := sv.form(survey, survey, form); w.Code != http.StatusUnprocessableEntity ||
				!strings.Contains(w.Body.String(), now.In(zone).Add(2*time.Hour).Format("2006-01-02 15:04")) {
				t.Errorf("two hours ahead: %d", w.Code)
			}
			if today := now.In(zone).Format(time.DateOnly); sv.shop.Today() != today {
				t.Errorf("today is %s, want %s", sv.shop.Today(), today)
			}
		})
	}
}
