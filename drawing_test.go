package pandrel

import (
	"flag"
	"fmt"
	"go/parser"
	"go/token"
	"html"
	"maps"
	"os"
	"path"
	"slices"
	"strconv"
	"strings"
	"testing"
)

var update = flag.Bool("update", false, "draw docs/architecture.svg anew")

// floors of the house from the top; arrows point down.
var floors = []struct {
	says    string
	folders []string
}{
	{"the program: commands and flags", []string{"cmd"}},
	{"pages: requests in, HTML out", []string{"web"}},
	{"what a person does: actions with their views, in one transaction each", []string{"shop"}},
	{"files, pictures, instruments, the database", []string{"store", "exchange", "draw", "instrument"}},
	{"the trade: plain values in, values and findings out", []string{"core"}},
}

// house is what the folders and imports say: packages by room, and what each room uses of the same floor and below.
type house struct {
	packages map[string][]string        // room → packages, for a room of several
	uses     map[string]map[string]bool // room → rooms it imports
}

// roomOf is the room of a package: its first two folders, or one where it has no more.
func roomOf(dir string) string {
	parts := strings.Split(dir, "/")
	return strings.Join(parts[:min(2, len(parts))], "/")
}

// surveyHouse reads the house from its files.
func surveyHouse(t *testing.T) house {
	t.Helper()
	h := house{map[string][]string{}, map[string]map[string]bool{}}
	each(t, func(file, src string) {
		dir := path.Dir(file)
		if strings.HasSuffix(file, "_test.go") || dir == "." || strings.HasPrefix(dir, "e2e") || strings.HasPrefix(dir,
			"scripts") || strings.HasPrefix(dir, "demo") {
			return
		}
		room := roomOf(dir)
		if h.uses[room] == nil {
			h.uses[room] = map[string]bool{}
		}
		if p := path.Base(dir); dir != room && !slices.Contains(h.packages[room], p) {
			h.packages[room] = append(h.packages[room], p)
		}
		f, err := parser.ParseFile(token.NewFileSet(), file, src, parser.ImportsOnly)
		if err != nil {
			t.Fatal(err)
		}
		for _, im := range f.Imports {
			name, _ := strconv.Unquote(im.Path.Value)
			if to, ours := strings.CutPrefix(name, "pandrel/"); ours && roomOf(to) != room {
				h.uses[room][roomOf(to)] = true
			}
		}
	}, ".go")
	for _, p := range h.packages {
		slices.Sort(p)
	}
	return h
}

// depth orders rooms of a floor from what uses nothing of it upwards.
func (h house) depth(room string) int {
	n := 0
	for to := range h.uses[room] {
		if strings.Split(to, "/")[0] == strings.Split(room, "/")[0] {
			n = max(n, h.depth(to)+1)
		}
	}
	return n
}

const (
	pageW, edge, roomW, lineH, gapW = 1180, 20, 172, 17, 12
	inRow                           = (pageW - 2*edge - 2*edge + gapW) / (roomW + gapW)
)

// box draws a room: its name, its packages, what it uses of its own floor. It returns the height.
func (h house) box(b *strings.Builder, room string, x, y int) int {
	floor, name, within := strings.Cut(room, "/")
	if !within {
		name = floor
	}
	lines := h.packages[room]
	var mates []string
	for _, to := range slices.Sorted(maps.Keys(h.uses[room])) {
		if rest, same := strings.CutPrefix(to, floor+"/"); same {
			mates = append(mates, rest)
		}
	}
	height := 34 + lineH*(len(lines)+len(mates))
	fmt.Fprintf(b, `<rect class="room" x="%d" y="%d" width="%d" height="%d" rx="3"/>`+"\n", x, y, roomW, height)
	fmt.Fprintf(b, `<text class="name" x="%d" y="%d">%s</text>`+"\n", x+10, y+21, html.EscapeString(name))
	at := y + 40
	for _, l := range lines {
		fmt.Fprintf(b, `<text x="%d" y="%d">%s</text>`+"\n", x+10, at, html.EscapeString(l))
		at += lineH
	}
	for _, m := range mates {
		fmt.Fprintf(b, `<text class="uses" x="%d" y="%d">→ %s</text>`+"\n", x+10, at, html.EscapeString(m))
		at += lineH
	}
	return height
}

func (h house) draw() string {
	var b strings.Builder
	y := edge
	for _, f := range floors {
		var rooms []string
		below := map[string]bool{}
		for room, uses := range h.uses {
			if !slices.Contains(f.folders, strings.Split(room, "/")[0]) {
				continue
			}
			rooms = append(rooms, room)
			for to := range uses {
				if fl := strings.Split(to, "/")[0]; !slices.Contains(f.folders, fl) {
					below[fl] = true
				}
			}
		}
		slices.SortFunc(rooms, func(a, c string) int {
			if d := h.depth(a) - h.depth(c); d != 0 {
				return d
			}
			return strings.Compare(a, c)
		})
		top := y
		var inner strings.Builder
		title := strings.Join(f.folders, ", ") + ": " + f.says
		if len(below) > 0 {
			title += ". Uses " + strings.Join(slices.Sorted(maps.Keys(below)), ", ")
		}
		fmt.Fprintf(&inner, `<text class="floor" x="%d" y="%d">%s</text>`+"\n", 2*edge, y+22, html.EscapeString(title))
		y += 34
		tallest := 0
		for i, room := range rooms {
			if i > 0 && i%inRow == 0 {
				y += tallest + gapW
				tallest = 0
			}
			tallest = max(tallest, h.box(&inner, room, 2*edge+i%inRow*(roomW+gapW), y))
		}
		y += tallest + gapW
		fmt.Fprintf(&b, `<rect class="band" x="%d" y="%d" width="%d" height="%d" rx="3"/>`+"\n%s", edge, top,
			pageW-2*edge, y-top, inner.String())
		y += gapW
	}
	return fmt.Sprintf(`<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 %d %d" role="img" `+
		`aria-label="Floors and rooms of the program, from the program down to the trade">
<style>
text { font: 13px sans-serif; fill: #17313a; } .floor { font-weight: 600; fill: #8f4519; }
.name { font-weight: 600; font-size: 14px; } .uses { fill: #4d5f64; }
.band { fill: #ece6da; } .room { fill: #fbfaf5; stroke: #74868a; }
</style>
<rect width="100%%" height="100%%" fill="#f6f1e6"/>
%s</svg>
`, pageW, y, b.String())
}

// The drawing of the house is made from the house. After a room is built or torn down:
// go test . -run TestHouseIsDrawn -update
func TestHouseIsDrawn(t *testing.T) {
	const file = "docs/architecture.svg"
	got := surveyHouse(t).draw()
	if *update {
		if err := os.WriteFile(file, []byte(got), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	want, err := os.ReadFile(file)
	if err != nil {
		t.Fatal(err)
	}
	if got != string(want) {
		t.Errorf("%s shows another house: draw it anew with -update", file)
	}
	page, err := os.ReadFile("docs/architecture.md")
	if err != nil {
		t.Fatal(err)
	}
	for room := range surveyHouse(t).uses {
		if !strings.Contains(string(page), "`"+room+"`") {
			t.Errorf("docs/architecture.md does not speak of `%s`", room)
		}
	}
}
