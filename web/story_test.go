package web_test

import (
	"bytes"
	"fmt"
	"io"
	"math/rand/v2"
	"mime/multipart"
	"net/http"
	"net/http/httptest"
	"net/url"
	"regexp"
	"slices"
	"strings"
	"testing"

	"pandrel/core/trainer/virtual"
	"pandrel/golden"
	"pandrel/instrument"
	"pandrel/store"
)

// story is a way through the pages, and what they said on it.
type story struct {
	*site
	b      strings.Builder
	known  map[string]string
	around []string // what stands around each page
}

var savedToken = regexp.MustCompile(`\[hidden (saved|token|file_sha)=[^\]]*\]`)

// look opens a page and writes down what it says, and of a page that was seen before what has changed.
func (s *story) look(path string) {
	w := s.do(httptest.NewRequest(http.MethodGet, path, nil))
	fmt.Fprintf(&s.b, "## %s: %d\n", path, w.Code)
	s.wrote(w, path)
}

// wrote writes down what a page says that it did not say when it was seen last.
func (s *story) wrote(w *httptest.ResponseRecorder, path string) {
	text, _ := says(w, path)
	text = savedToken.ReplaceAllString(text, "[saved]")
	was, seen := s.known[path]
	s.known[path] = text
	if !seen {
		for l := range strings.SplitSeq(text, "\n") {
			if !slices.Contains(s.around, l) {
				s.b.WriteString(l + "\n")
			}
		}
		return
	}
	before, now := map[string]int{}, map[string]int{}
	for l := range strings.SplitSeq(was, "\n") {
		before[l]++
	}
	for l := range strings.SplitSeq(text, "\n") {
		if now[l]++; now[l] > before[l] {
			s.b.WriteString("+ " + l + "\n")
		}
	}
	for l := range strings.SplitSeq(was, "\n") {
		if now[l]--; now[l] < 0 {
			s.b.WriteString("− " + l + "\n")
		}
	}
}

// send sends a form of a page: names and values by turns.
func (s *story) send(page, action string, fields ...string) (to string) {
	v := url.Values{"by": {"AB"}}
	for i := 0; i+1 < len(fields); i += 2 {
		v.Add(fields[i], fields[i+1])
	}
	w := s.form(page, action, v)
	s.answered(page, action, w)
	to, _, _ = strings.Cut(w.Header().Get("Location"), "#")
	return to
}

// steps records each step as a page offers it, with what stands in its fields and these values, until nothing is
// offered or one is refused.
func (s *story) steps(page, way string, most int, fields ...string) {
	last := ""
	for range most {
		_, body := s.get(page)
		all := formsOn(body, page)
		i := slices.IndexFunc(all, func(f sent) bool { return strings.HasSuffix(f.action, way) })
		if i < 0 {
			return
		}
		v := url.Values{}
		for _, f := range all[i].fields {
			v.Set(f.name, f.value)
		}
		for i := 0; i+1 < len(fields); i += 2 {
			v.Set(fields[i], fields[i+1])
		}
		v.Set("by", "AB")
		if v.Get("step") == last { // it did not pass
			return
		}
		last = v.Get("step")
		if last == "person" {
			v.Set("name", "Jo Berg")
		}
		fmt.Fprintf(&s.b, "step %s: ", v.Get("step"))
		w := s.form(page, all[i].action, v)
		s.answered(page, all[i].action, w)
		if w.Code != http.StatusSeeOther {
			return
		}
		s.look(page)
	}
}

// gates sends the page of all gates, down and up: with none of its fields filled, with half of them, with all of them.
func (s *story) gates(page string, ways int) {
	for range ways {
		for _, part := range []int{3, 2, 1} {
			_, body := s.get(page)
			for _, f := range formsOn(body, page) {
				if !strings.HasSuffix(f.action, "/gates") {
					continue
				}
				var fields []string
				for i, x := range f.fields {
					switch {
					case x.kind == "hidden":
						fields = append(fields, x.name, x.value)
					case i%part == 0 && x.mode == "decimal":
						fields = append(fields, x.name, map[bool]string{true: "13.2", false: "0.1"}[part == 1])
					case i%part == 0:
						fields = append(fields, x.name, "Ada Karlsen")
					}
				}
				for _, key := range gateBox.FindAllStringSubmatch(body, -1) {
					if part < 3 {
						fields = append(fields, key[1], "yes")
					}
				}
				s.send(page, f.action, fields...)
				s.look(page)
			}
		}
	}
}

var gateBox = regexp.MustCompile(`type="checkbox"[^>]*name="(g-[^"]+)"`)

// file sends a form with a file.
func (s *story) file(page, action, name, data string, fields ...string) {
	_, body := s.get(page)
	var b bytes.Buffer
	m := multipart.NewWriter(&b)
	for i := 0; i+1 < len(fields); i += 2 {
		_ = m.WriteField(fields[i], fields[i+1])
	}
	_ = m.WriteField("by", "AB")
	_ = m.WriteField("token", fmt.Sprintf("story%d", s.b.Len()))
	part, err := m.CreateFormFile("file", name)
	if err != nil {
		s.t.Fatal(err)
	}
	_, _ = io.WriteString(part, data)
	_ = m.Close()
	r := httptest.NewRequest(http.MethodPost, action, &b)
	r.Header.Set("Content-Type", m.FormDataContentType())
	r.Header.Set("X-CSRF-Token", csrfField.FindStringSubmatch(body)[1])
	s.answered(page, action, s.do(r))
}

// answered writes down the answer, and of a page that is shown again what stands on it.
func (s *story) answered(page, action string, w *httptest.ResponseRecorder) {
	to := w.Header().Get("Location")
	fmt.Fprintf(&s.b, "## sent %s: %d %s\n", action, w.Code, to)
	if to == "" {
		s.wrote(w, page)
	}
}

// holds compares the story with the one that is kept.
func (s *story) holds(name string) {
	s.t.Helper()
	golden.Same(s.t, "story-"+name, s.b.String())
}

func newStory(t *testing.T) *story {
	s := &story{site: newSite(t, true), known: map[string]string{}}
	text, _ := says(s.do(httptest.NewRequest(http.MethodGet, "/search?q=", nil)), "")
	s.around = strings.Split(text, "\n")
	return s
}

// A lot by its grids: modules pasted and read from a file, looked at, surveyed by typing and by the monitor, results
// typed and read from a sheet, graded, labelled.
func TestALotThroughItsPages(t *testing.T) {
	s := newStory(t)
	mon, err := instrument.StartMonitor("127.0.0.1:0", 4)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = mon.Stop() })
	s.shop.MonitorAddress = mon.Address
	lot := s.send("/station/receive", "/lots", "supplier", "Yard", "arrived_on", "2026-11-20", "price", "900")
	s.look(lot)
	s.send(lot, lot+"/delete")
	s.look("/station/receive")
	lot = s.send("/station/receive", "/lots", "supplier", "Yard", "arrived_on", "2026-11-20", "price", "900")
	id := strings.TrimPrefix(lot, "/lots/")
	table := "number;type;note\nK-901;TRIKE-7;dusty\nK-902;TRIKE-7;\nK-903;nobody knows;\nK-001;TRIKE-7;twice\n"
	s.send("/import?kind=modules&lot="+id, "/import", "kind", "modules", "data", table, "lot", id)
	s.send("/import?kind=modules&lot="+id, "/import", "kind", "modules", "data", table, "lot", id, "save", "yes")
	s.file("/import?kind=results", "/import", "list.csv",
		"number,ah,resistance,end,from_group,to_group\nK-110,41,1.9 mOhm,21,,\nK-111,x,39,,,\nK-112,40,1900 µΩ,,1,3\n",
		"kind", "results")
	s.file("/import?kind=results", "/import", "list.csv", "number,ah\nK-110,41\n", "kind", "results", "save", "yes")
	s.file("/import?kind=surveys", "/import", "list.csv",
		"number;g1;g2;g3;g4;g5;g6;g7\nK-110;3,61;3,62;3,61;3,61;3,61;3,61;3,61\nK-111;3,61;;;;;;\n", "kind", "surveys")
	s.file("/import?kind=surveys", "/import", "list.csv",
		"number,group,volts,rest_min\nK-110,1-2,7.22,60\nK-110,3,3.61,60\nK-110,9,3.6,60\nK-110,x,3.6,\n", "kind",
		"surveys")
	s.file("/import?kind=surveys", "/import", "list.xlsx", "PK\x03\x04 no sheet", "kind", "surveys")
	s.send("/import?kind=surveys", "/import", "kind", "surveys", "data", "")
	s.send(lot, lot+"/modules", "type", "1", "first", "K-911", "count", "3")
	s.look(lot)
	s.send(lot+"/look", lot+"/look", "number", "K-911", "number", "K-912", "number", "K-913", "ok-0", "yes",
		"sign-1", "swollen")
	s.look(lot + "/look")
	grid := []string{"accuracy_mv", "1", "instrument", "meter", "rest_min", "120", "temp_c", "21"}
	for row, number := range []string{"K-125", "K-126"} {
		grid = append(grid, "number", number)
		for g := 1; g <= 7; g++ {
			grid = append(grid, fmt.Sprintf("v%d-%d", row, g), fmt.Sprintf("3.65%d", g%2+row))
		}
	}
	s.send("/lots/2/survey", "/lots/2/survey/monitor", "number", "K-125", "number", "K-126", "read", "K-125")
	s.send("/lots/2/survey", "/lots/2/survey/monitor", "number", "K-125", "number", "K-126", "read", "K-125", "alone",
		"yes")
	s.send("/lots/2/survey", "/lots/2/survey/monitor", append(grid, "read", "K-125", "alone", "yes")...)
	s.send("/lots/2/survey", "/lots/2/survey/monitor", "number", "K-125", "read", "K-999")
	s.send("/lots/2/survey", "/lots/2/survey", grid...)
	s.send("/lots/2/survey", "/lots/2/survey", append(grid[:len(grid):len(grid)], "number", "K-127", "v2-1", "3.6",
		"v2-2", "words")...)
	s.look("/lots/2/survey")
	for _, table := range []string{"K-110;40,1;2.5;1.9\nK-111 39\nK-112 x\nnobody 40", "K-110;40,1;2.5;1.9\nK-111;39",
		"K-112;4000;2.5"} {
		s.send("/lots/2/results", "/lots/2/results", "grid", table, "amps", "10", "temp_c", "21", "lowest_end_v",
			"2.55", "from_full", "yes")
	}
	s.look("/lots/2/results")
	s.send("/lots/2/grade", "/lots/2/grade", "number", "K-125")
	s.look("/lots/2/grade")
	for _, q := range []string{"", "?from=K-125", "?size=small", "?cols=2&rows=9", "?start=70"} {
		s.look("/lots/2/labels" + q)
	}
	s.look("/lots/2/export")
	s.look("/lots/2?sort=ah")
	s.look("/lots/2?show=held")
	s.holds("lot")
}

// Logs of a set and of a lot: what stands in them for whom, tried and kept.
func TestLogsThroughTheirPages(t *testing.T) {
	s := newStory(t)
	rng := rand.New(rand.NewPCG(1, 2))
	m := virtual.New(rng, "set", virtual.Spec{Chemistry: "nmc", Series: 7, RatedAh: 46, SoH: 0.8,
		ResistanceOhms: 0.002})
	m.SetSoC(1)
	log := m.Discharge(virtual.Test{Amps: 14, FloorVolts: 3, RestBefore: 1900, RestAfter: 1900, EverySecond: 30,
		AmbientC: 22})
	data := string(virtual.WriteLog(rng, log, virtual.PlainSeconds, now))
	s.look("/lots/4/set")
	s.file("/lots/4/set", "/lots/4/set", "set.csv", data)
	s.file("/lots/4/set", "/lots/4/set", "set.csv", data, "numbers", "K-202 K-203")
	s.file("/lots/4/set", "/lots/4/set", "set.csv", "name,colour\na,b\n", "numbers", "K-202")
	s.file("/lots/2/results", "/lots/2/logs", "K-110.csv", data)
	s.file("/lots/2/results", "/lots/2/logs", "K-111.csv", "x", "ends", "")
	s.file("/lots/2/results", "/lots/2/logs", "nobody.csv", data)
	s.answered("/modules/K-110/test", "/modules/K-110/trace", s.uploadAs("K-110", "run.csv", data,
		url.Values{"by": {"AB"}}))
	s.answered("/modules/K-110/test", "/modules/K-110/trace", s.upload("K-110", "run.csv", strings.NewReader(data),
		len(data)))
	s.look("/modules/K-110")
	s.look("/modules/K-110/test")
	for _, q := range []string{"", "?from=0&to=600", "?from=600&to=0", "?cut=1", "?from=x", "?cycles=1", "?curve=ah"} {
		s.look("/tests/2" + q)
		s.look("/tests/2/part" + q)
		s.look("/tests/2/samples" + q)
	}
	s.send("/tests/2", "/tests/2/read", "date_order", "dmy", "ended_group", "3")
	s.send("/tests/2", "/tests/2/read", "ended_group", "77")
	s.look("/tests/2")
	s.holds("logs")
}

// A bank that stands: surveyed, tested, taken out of work and put back by the page of all its gates; a record of it
// taken back; a pack apart and its modules received; the gates of people.
func TestProceduresThroughTheirPages(t *testing.T) {
	s := newStory(t)
	for _, id := range []string{"7", "8"} {
		page := "/banks/" + id
		s.look(page)
		s.send(page, page+"/survey", "grid", "3.3 3.3 3.29 3.3", "rest_min", "60", "accuracy_mv", "1")
		s.send(page, page+"/test", "capacity_ah", "61", "from_full", "yes", "ended_by", "2", "end_v", "2.5",
			"grid", "3.1 3.0 3.1 3.1")
		s.send(page, page+"/cells", "series", map[string]string{"7": "8", "8": "15"}[id], "chemistry", "lfp", "ah",
			"100", "bms", "board", "opens", "yes", "version", "1")
		s.look(page)
		s.send(page, page+"/test", "capacity_ah", "61", "from_full", "yes", "ended_by", "2", "end_v", "1.5")
		s.look(page)
		s.send(page, page+"/open/gates", "way", "down")
		s.gates(page, 2)
		s.steps(page+"?alone=1", "/open/step", 30, "confirm", "yes", "reading", "13.2", "name", "Ada Karlsen")
		s.send(page, page+"/extend")
		s.look(page)
	}
	s.send("/station/keep", "/banks/standing", "name", "shed", "series", "4", "chemistry", "lfp", "ah", "100",
		"opens", "yes",
		"bms", "board", "strings", "1", "grid", "3.3 3.31 3.3 3.3", "rest_min", "60")
	shed := "/banks/10"
	var bank store.Bank
	if err := s.st.DB.Order("id DESC").Take(&bank).Error; err == nil {
		shed = fmt.Sprintf("/banks/%d", bank.ID)
	}
	s.look(shed)
	s.send(shed, shed+"/test", "capacity_ah", "88", "from_full", "yes", "ended_by", "2", "end_v", "2.5", "grid",
		"3.1 1.4 3.1 3.1")
	s.look(shed)
	s.look("/")
	s.look("/records/whole-bank-3")
	s.send("/records/whole-bank-3", "/records/whole-bank-3", "reason", "")
	s.send("/records/whole-bank-3", "/records/whole-bank-3", "reason", "another bank was on the charger")
	s.look(shed)
	for _, p := range []string{"/banks/5", "/banks/6"} {
		s.look(p)
		s.send(p, p+"/modules", "type", "1", "first", "K-950", "count", "2")
		s.steps(p, "/split", 40, "confirm", "yes", "reading", "0.2", "name", "Ada Karlsen", "pack_v", "45", "pos_v",
			"0.02", "neg_v", "0.01")
		s.steps(p, "/split", 40, "confirm", "yes", "reading", "60.8", "name", "Ada Karlsen", "pack_v", "45", "pos_v",
			"0.02", "neg_v", "0.01")
		s.send(p, p+"/modules", "type", "1", "first", "K-950", "count", "2")
		s.look(p + "?side_v=45,4")
	}
	for _, n := range []string{"K-202", "K-128"} {
		page := "/modules/" + n + "/people"
		s.look(page)
		s.steps(page, "/people", 9, "name", "Ada Karlsen", "confirm", "yes", "reading", "1")
	}
	s.holds("procedures")
}

// What stands against a bank in service reaches Today, its page and the lists; a module is replaced; limits are changed
// with what that changes in sight; a meter is read for the map.
func TestChangesThroughTheirPages(t *testing.T) {
	s := newStory(t)
	meter, err := instrument.StartMeter("127.0.0.1:0", 4, func(module, red, black string) (float64, bool) {
		return 3.7, module == "K-202"
	})
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = meter.Stop() })
	s.shop.MeterAddress = meter.Address
	s.look("/modules/K-202/map")
	s.send("/modules/K-202/map", "/modules/K-202/map/meter", "red", "X2", "black", "X1")
	s.send("/modules/K-202/map", "/modules/K-202/map/meter", "red", "X2", "black", "nowhere")
	s.send("/modules/K-202/map", "/modules/K-202/map/try", "readings", "X2 X1 3,70\nX3;X2;3.71\nX4 X3 3.7 extra words")
	s.send("/modules/K-202/map", "/modules/K-202/map/try", "readings", "X2 X1 3,70\nX3;X2;3.71", "skip", "X4")
	s.send("/banks/1", "/banks/1/test", "capacity_ah", "40", "from_full", "yes", "ended_by", "3", "end_v", "1.2")
	s.look("/banks/1")
	s.look("/")
	s.look("/banks")
	s.look("/banks?only=stands")
	s.look("/banks/1/picture")
	s.look("/banks/3/picture")
	s.look("/station/keep")
	s.send("/banks/1", "/banks/1/replace", "version", "4", "out", "K-023", "in", "K-110")
	s.send("/banks/1", "/banks/1/out", "version", "4", "why", "a group stopped")
	s.look("/banks/1")
	s.look("/")
	s.send("/limits", "/limits", "accept", "90", "watch", "80", "resistance", "1.2")
	s.look("/limits")
	form := formsOn(func() string { _, b := s.get("/limits"); return b }(), "/limits")
	for _, sure := range []string{"", "yes"} {
		var fields []string
		for _, f := range form[len(form)-1].fields {
			value := f.value
			if f.name == "resistance" {
				value = "1.4"
			}
			if f.name != "sure" {
				fields = append(fields, f.name, value)
			}
		}
		s.send("/limits", "/limits", append(fields, "why", "a new bench", "sure", sure)...)
	}
	s.look("/limits")
	for _, p := range []string{"/types/1/face", "/types/3/face", "/types/1/lie", "/types/1/lie?turn=90", "/strip/lot/1",
		"/strip/lot/1?bank=1", "/strip/bank/1", "/strip/type/9", "/glyphs.svg", "/print.css", "/model", "/adapters",
		"/adapters/1", "/m/K-202", "/search?q=", "/search?q=nobody", "/records/none-1", "/records/survey-x"} {
		s.look(p)
	}
	s.holds("changes")
}
