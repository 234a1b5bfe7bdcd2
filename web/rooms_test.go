package web_test

import (
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"testing"
)

var (
	roomOf = regexp.MustCompile(`data-room="([a-z]+)"`)
	doorTo = regexp.MustCompile(`<a href="#([a-z]+)"[ >]`)
	ways   = regexp.MustCompile(`(?s)<nav [^>]*data-rooms.*?</nav>`)
)

// What lies in a room that no door leads to is in nobody's sight; a door without a room leads nowhere.
func TestEveryRoomHasADoor(t *testing.T) {
	pages, err := filepath.Glob("templates/*.html")
	if err != nil {
		t.Fatal(err)
	}
	houses := 0
	for _, page := range pages {
		text, err := os.ReadFile(page)
		if err != nil {
			t.Fatal(err)
		}
		nav := ways.Find(text)
		var doors, rooms []string
		for _, m := range doorTo.FindAllSubmatch(nav, -1) {
			if name := string(m[1]); name != "all" {
				doors = append(doors, name)
			}
		}
		for _, m := range roomOf.FindAllSubmatch(text, -1) {
			rooms = append(rooms, string(m[1]))
		}
		if nav != nil {
			houses++
		}
		for _, d := range doors {
			if !slices.Contains(rooms, d) {
				t.Errorf("%s: the door to %q leads nowhere", page, d)
			}
		}
		for _, r := range rooms {
			if !slices.Contains(doors, r) {
				t.Errorf("%s: no door leads to %q", page, r)
			}
		}
	}
	if houses < 6 {
		t.Errorf("%d pages have rooms", houses)
	}
}
