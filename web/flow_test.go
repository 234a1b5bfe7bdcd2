package web_test

import (
	"fmt"
	"math/rand/v2"
	"net/http"
	"net/http/httptest"
	"net/url"
	"regexp"
	"strings"
	"testing"

	"pandrel/core/base/chem"
	"pandrel/core/trainer/virtual"
	"pandrel/instrument"
	"pandrel/store"
)

var expectedVolts = regexp.MustCompile(
	`<td class="text-end num"><data[^>]*>([0-9.]+)</data> V</td>` +
		`<td><input class="form-control" type="text" name="(s\d+)"`)

// follow posts a form and opens the page it leads to.
func (s *site) follow(page, action string, v url.Values) string {
	s.t.Helper()
	w := s.form(page, action, v)
	if w.Code != http.StatusSeeOther {
		s.t.Fatalf("%s: %d: %.600s", action, w.Code, w.Body.String())
	}
	where, _, _ := strings.Cut(w.Header().Get("Location"), "#")
	code, body := s.get(where)
	if code != http.StatusOK {
		s.t.Fatalf("%s: %d", where, code)
	}
	return body
}

// From the waiting need of the demo to a bank in service, by its forms.
func TestABankByItsForms(t *testing.T) {
	s := newSite(t, true)
	_, body := s.get("/banks/3")
	if !strings.Contains(body, "Best fit: 16 groups of TUG-4") {
		t.Error("no best fit")
	}
	w := s.form("/banks/3", "/banks/3/design", url.Values{"version": {"1"}, "choice": {"TRIKE-7|14|9"},
		"style": {"parallel-first"}})
	if w.Code != http.StatusUnprocessableEntity || !strings.Contains(w.Body.String(), "not one of the ways") {
		t.Errorf("a way that does not exist: %d", w.Code)
	}
	body = s.follow("/banks/3", "/banks/3/design", url.Values{"version": {"1"}, "choice": {"TUG-4|16|1|tested"},
		"style": {"parallel-first"}, "by": {"AK"}})
	if !strings.Contains(body, "no BMS that can disconnect") {
		t.Error("a bank without a BMS has no refusal")
	}
	w = s.form("/banks/3", "/banks/3/bms", url.Values{"version": {"2"}, "bms": {"T4-60"}})
	if w.Code != http.StatusUnprocessableEntity || !strings.Contains(w.Body.String(), "monitors 4 to 4 groups") {
		t.Errorf("a BMS that does not fit: %d", w.Code)
	}
	w = s.form("/banks/3", "/banks/3/bms", url.Values{"version": {"1"}, "bms": {"T16-60"}})
	if w.Code != http.StatusUnprocessableEntity || !strings.Contains(w.Body.String(), "changed by somebody else") {
		t.Errorf("an old version: %d", w.Code)
	}
	body = s.follow("/banks/3", "/banks/3/bms", url.Values{"version": {"2"}, "bms": {"T16-60"}, "by": {"AK"}})
	rows := expectedVolts.FindAllStringSubmatch(body, -1)
	if len(rows) != 17 {
		t.Fatalf("%d sense leads", len(rows))
	}
	w = s.form("/banks/3", "/banks/3/service", url.Values{"version": {"3"}})
	if w.Code != http.StatusUnprocessableEntity || !strings.Contains(w.Body.String(), "no good check") {
		t.Errorf("in service without a check: %d", w.Code)
	}
	leads := url.Values{"bms": {"B1"}}
	for _, r := range rows {
		leads.Set(r[2], strings.Replace(r[1], ".", ",", 1))
	}
	open := url.Values{}
	for k, v := range leads {
		open[k] = v
	}
	open.Set("s5", "0,02")
	if body = s.follow("/banks/3", "/banks/3/sense", open); !strings.Contains(body, "Do not plug in: Lead 5 reads") {
		t.Error("an open lead passed")
	}
	if body = s.follow("/banks/3", "/banks/3/sense", leads); !strings.Contains(body, "Lead 0 is not proven yet") {
		t.Error("an open lead 0 reads 0 V too, and passed")
	}
	leads.Del("token")
	leads.Set("top", expectedTop.FindStringSubmatch(body)[1])
	if body = s.follow("/banks/3", "/banks/3/sense", leads); !strings.Contains(body,
		"The sense leads read as expected") || strings.Contains(body, "plug may go in") {
		t.Errorf("good leads did not pass, or were called more than checked: %s", saysOf(body))
	}
	if _, sheet := s.get("/banks/3/sheet"); !strings.Contains(sheet, "Put the sense plug into B1") ||
		!strings.Contains(sheet, "Settings of T16-60") {
		t.Error("the build sheet is not whole")
	}
	s.passGates(3)
	if _, body = s.get("/banks/3"); !strings.Contains(body, "does not show the bank as it is") {
		t.Error("surveys of last week are taken for the bank as it is")
	}
	s.surveyBank(3)
	s.passGates(3)
	if _, body = s.get("/banks/3"); !strings.Contains(body, "Of F1 is not on record") ||
		!strings.Contains(data.ReplaceAllString(body, ""), "58.4 V DC or more") {
		t.Errorf("a fuse of which nothing is known is not asked for: %s", saysOf(body))
	}
	if !strings.Contains(body, `btn-primary" href="#parts"`) {
		t.Error("the headline asks for the fuse, and the main button leads elsewhere")
	}
	parts := url.Values{"version": {"3"}, "by": {"AK"}, "fuse_a": {"40"}, "fuse_v": {"80"}, "fuse_ka": {"20"},
		"cable_a": {"60"}}
	if body = s.follow("/banks/3", "/banks/3/parts", parts); strings.Contains(body, "Of F1 is not on record") {
		t.Error("the fuse was written down and is asked for again")
	}
	w = s.form("/banks/3", "/banks/3/service", url.Values{"version": {"4"}, "by": {"AK"}})
	if w.Code != http.StatusUnprocessableEntity || !strings.Contains(w.Body.String(), "tick that the bank was seen") {
		t.Errorf("in service without a confirmation: %d, %s", w.Code, saysOf(w.Body.String()))
	}
	if body = s.follow("/banks/3", "/banks/3/service",
		url.Values{"version": {"4"}, "by": {"AK"}, "confirm": {"yes"}}); !strings.Contains(body, "In service") {
		t.Error("not in service")
	}
	w = s.form("/banks/3", "/banks/3/out", url.Values{"version": {"5"}, "by": {"AK"}})
	if w.Code != http.StatusUnprocessableEntity || !strings.Contains(w.Body.String(), "expected why") {
		t.Errorf("out of service without a reason: %d", w.Code)
	}
	body = s.follow("/banks/3", "/banks/3/out",
		url.Values{"version": {"5"}, "by": {"AK"}, "reason": {"the client moves"}})
	if !strings.Contains(body, "That was before the design or the BMS changed") ||
		!strings.Contains(body, "What still keeps it out of service") {
		t.Error("after a time at work the old checks still count")
	}
}

var (
	expectedTop = regexp.MustCompile(`black on lead 0</td><td class="text-end num"><data[^>]*>([0-9.]+)</data> V`)
	openGate    = regexp.MustCompile(`name="step" value="([^"]+)"`)
)

var saysWords = regexp.MustCompile(`(?s)<p class="says [a-z ]+">.*?</p>|<span class="what">.*?</span>`)

// saysOf is what a page says of its matter, for a failing test's message.
func saysOf(body string) string { return strings.Join(saysWords.FindAllString(body, -1), "\n") }

// surveyBank reads every module of a bank anew: all groups a millivolt lower than last time.
func (s *site) surveyBank(id int) {
	s.t.Helper()
	var mods []store.Module
	s.st.DB.Where("bank_id = ?", id).Order("number").Find(&mods)
	for _, m := range mods {
		var last store.Survey
		var rs []store.SurveyReading
		s.st.DB.Where("module_id = ?", m.ID).Order("taken_at DESC, id DESC").Take(&last)
		s.st.DB.Where("survey_id = ?", last.ID).Find(&rs)
		v := url.Values{"rest_min": {"120"}, "by": {"AK"}, "then": {"stay"}}
		for _, r := range rs {
			v.Set(fmt.Sprintf("g%d", r.GroupNo), fmt.Sprintf("%.3f", r.Volts-0.001))
		}
		page := "/modules/" + m.Number + "/survey"
		s.follow(page, page, v)
	}
}

// passGates passes every gate of a bank by its form, as its page shows them.
func (s *site) passGates(id int) {
	s.t.Helper()
	page := fmt.Sprintf("/banks/%d", id)
	for range 20 {
		_, body := s.get(page)
		key := openGate.FindStringSubmatch(body)
		if key == nil {
			return
		}
		s.follow(page, page+"/step", url.Values{"step": {key[1]}, "confirm": {"yes"}, "reading": {"3.1"},
			"other": {"25"}, "name": {"Ada Karlsen"}, "by": {"AK"}})
	}
	s.t.Fatal("the gates do not end")
}

func TestTakingADesignBackFreesTheModules(t *testing.T) {
	s := newSite(t, true)
	var before int64
	s.st.DB.Model(&store.Module{}).Where("bank_id = 2").Count(&before)
	body := s.follow("/banks/2", "/banks/2/undo", url.Values{"version": {"3"}, "by": {"AK"}})
	if !strings.Contains(body, "Ways to build it from the stock") {
		t.Error("no ways are shown")
	}
	var after, free int64
	s.st.DB.Model(&store.Module{}).Where("bank_id = 2").Count(&after)
	s.st.DB.Model(&store.Module{}).Where("station = 'design' AND type_id = 1").Count(&free)
	if before != 8 || after != 0 || free < 8 {
		t.Errorf("%d modules before, %d after, %d free", before, after, free)
	}
	w := s.form("/banks/1", "/banks/1/undo", url.Values{"version": {"4"}})
	if w.Code != http.StatusUnprocessableEntity || !strings.Contains(w.Body.String(), "in service") {
		t.Errorf("a bank in service was taken apart: %d", w.Code)
	}
}

func TestCheckAndIsolationForms(t *testing.T) {
	s := newSite(t, true)
	w := s.form("/modules/K-122/check", "/modules/K-122/check", url.Values{"c0": {"26,5"}})
	if w.Code != http.StatusUnprocessableEntity || !strings.Contains(w.Body.String(), `value="26,5"`) {
		t.Errorf("half a check: %d", w.Code)
	}
	all := url.Values{}
	for i, v := range []string{"26,5", "26,5", "26,5", "18,9", "11,4", "-3,8"} {
		all.Set("c"+string(rune('0'+i)), v)
	}
	if body := s.follow("/modules/K-122/check", "/modules/K-122/check", all); !strings.Contains(body,
		"not like its type") {
		t.Error("a reversed group passed the check")
	}
	w = s.form("/modules/K-122/isolation", "/modules/K-122/isolation", url.Values{"pack_v": {"26"}, "pos_v": {"20"},
		"neg_v": {"20"}})
	if w.Code != http.StatusUnprocessableEntity || !strings.Contains(w.Body.String(), "Let the readings settle") {
		t.Errorf("readings that cannot be: %d", w.Code)
	}
	if body := s.follow("/modules/K-122/isolation", "/modules/K-122/isolation",
		url.Values{"pack_v": {"26,5"}, "pos_v": {"0,2"}, "neg_v": {"0"},
			"meter_mohm": {"10"}}); !strings.Contains(body, "Nothing leaks below the limit now:") {
		t.Error("a good isolation is not shown")
	}
}

func TestQuarantinedModulesAreHeldEverywhere(t *testing.T) {
	s := newSite(t, true)
	for action, v := range map[string]url.Values{
		"/modules/K-013/survey": {"g1": {"3,3"}, "g2": {"3,3"}, "g3": {"3,3"}, "g4": {"3,3"}},
		"/modules/K-013/map":    {"readings": {"P+ P- 13,2"}},
		"/modules/K-013/hand":   {"capacity_ah": {"150"}},
		"/modules/K-013/check":  {"c0": {"13,2"}, "c1": {"13,2"}, "c2": {"6,6"}, "c3": {"13,2"}},
	} {
		t.Run(action, func(t *testing.T) {
			page := action
			if strings.HasSuffix(action, "/hand") {
				page = "/modules/K-013/test"
			}
			w := s.form(page, action, v)
			if w.Code == http.StatusSeeOther || !strings.Contains(w.Body.String(), "quarantine") {
				t.Errorf("%s: %d", action, w.Code)
			}
		})
	}
	if w := s.upload("K-013", "x.csv", strings.NewReader("time_s,volts,amps\n0,13,0\n1,13,0\n"),
		9); w.Code == http.StatusSeeOther {
		t.Error("a log of a quarantined module was taken")
	}
}

func TestASlippedReadingIsAskedAboutOnce(t *testing.T) {
	s := newSite(t, true)
	v := url.Values{"g1": {"3,781"}, "g2": {"3,78"}, "g3": {"3781"}, "g4": {"3,781"}, "g5": {"3,781"},
		"g6": {"3,781"}, "g7": {"3,781"}}
	w := s.form("/modules/K-125/survey", "/modules/K-125/survey", v)
	b := w.Body.String()
	if w.Code != http.StatusUnprocessableEntity || !strings.Contains(b, "Read again?") ||
		!strings.Contains(b, "Take 3.781 V") || !strings.Contains(b, `value="3781"`) {
		t.Errorf("%d", w.Code)
	}
	v.Set("confirm", "yes")
	v.Del("token")
	if w := s.form("/modules/K-125/survey", "/modules/K-125/survey", v); w.Code != http.StatusSeeOther {
		t.Errorf("confirmed: %d", w.Code)
	}
	if _, page := s.get("/modules/K-125"); !strings.Contains(page, "no cell group has that voltage") {
		t.Error("the reading that was kept is not judged")
	}
}

func TestTheOriginalComesBack(t *testing.T) {
	s := newSite(t, true)
	_, page := s.get("/modules/K-108")
	m := regexp.MustCompile(`/tests/(\d+)/original`).FindString(page)
	w := s.do(httptest.NewRequest(http.MethodGet, m, nil))
	if w.Code != 200 || !strings.Contains(w.Header().Get("Content-Disposition"), "K-108-discharge.csv") ||
		!strings.HasPrefix(w.Body.String(), "\ufeffDate Time\t") {
		t.Errorf("%d, %s, %.40q", w.Code, w.Header().Get("Content-Disposition"), w.Body.String())
	}
}

func TestAPackByItsForms(t *testing.T) {
	s := newSite(t, true)
	w := s.form("/banks/packs", "/banks/packs", url.Values{"name": {"S-3"}, "lot": {"3"}, "volts": {"12×25,9 high"}})
	if w.Code != http.StatusUnprocessableEntity || !strings.Contains(w.Body.String(), "value 2") ||
		!strings.Contains(w.Body.String(), `value="S-3"`) {
		t.Errorf("a word among the volts: %d", w.Code)
	}
	body := s.follow("/banks/packs", "/banks/packs", url.Values{"name": {"S-3"}, "lot": {"3"}, "volts": {"12×25,9"},
		"disconnect": {"6"}, "by": {"AK"}})
	if !strings.Contains(data.ReplaceAllString(body, ""), "310.8 V. 5 lifts bring every piece to 51.8 V or less") {
		t.Error("no plan")
	}
	w = s.form("/banks/10", "/banks/10/split", url.Values{"step": {"lift-6"}, "reading": {"155"}})
	if w.Code != http.StatusUnprocessableEntity || !strings.Contains(w.Body.String(), "may not be recorded") {
		t.Errorf("past the gates: %d", w.Code)
	}
	body = s.follow("/banks/10", "/banks/10/split", url.Values{"step": {"history"}, "confirm": {"yes"}})
	if !strings.Contains(body, `name="step" value="licensed"`) {
		t.Error("the next gate is not open")
	}
}

func TestImportShowsFirstAndSavesAllOrNothing(t *testing.T) {
	s := newSite(t, true)
	count := func() (n int64) { s.st.DB.Model(&store.Module{}).Count(&n); return n }
	before := count()
	page := "/import?kind=modules&lot=4"
	table := "Label no.;Type;Capacity " +
		"[Ah]\nN-001;TUG-4;202,5\nN-002;tug-4;202\nK-001;TUG-4;202\nN-003;LORRY;9\nN-001;TUG-4;x"
	w := s.form(page, "/import", url.Values{"kind": {"modules"}, "lot": {"4"}, "data": {table}, "save": {"yes"}})
	for _, want := range []string{"3 of 5 rows cannot be used", "K-001 exists already",
		"expected one of the module types", "in the list twice", "N-002"} {
		if !strings.Contains(w.Body.String(), want) {
			t.Errorf("%d: no %q", w.Code, want)
		}
	}
	if count() != before {
		t.Error("rows were saved beside wrong ones")
	}
	good := "Nummer;Capacity [Ah]\nN-001;202,5\nN-002;202\n"
	w = s.form(page, "/import", url.Values{"kind": {"modules"}, "lot": {"4"}, "data": {good}, "type": {"TUG-4"}})
	if !strings.Contains(w.Body.String(), "say which column holds the label number") {
		t.Error("a column nobody named was guessed")
	}
	v := url.Values{"kind": {"modules"}, "lot": {"4"}, "data": {good}, "type": {"TUG-4"}, "col_number": {"0"}}
	w = s.form(page, "/import", v)
	if w.Code != 200 || !strings.Contains(w.Body.String(), "First say what the columns hold") || count() != before {
		t.Errorf("a capacity that may be the plate's is not asked about: %d, %d modules", w.Code, count()-before)
	}
	v.Set("col_capacity_ah", "1")
	w = s.form(page, "/import", v)
	if w.Code != 200 || !strings.Contains(w.Body.String(), "Ready: 2 rows") || count() != before {
		t.Errorf("the look: %d, %d modules", w.Code, count()-before)
	}
	v.Set("save", "yes")
	v.Del("token")
	if w = s.form(page, "/import", v); w.Code != http.StatusSeeOther || count() != before+2 {
		t.Errorf("saved: %d, %d modules", w.Code, count()-before)
	}
	for _, as := range []string{"csv", "xlsx"} {
		if w := s.do(httptest.NewRequest(http.MethodGet, "/lots/4/export?as="+as, nil)); w.Code != 200 ||
			w.Body.Len() < 60 {
			t.Errorf("export %s: %d, %d bytes", as, w.Code, w.Body.Len())
		}
	}
}

func TestSurveysFromATable(t *testing.T) {
	s := newSite(t, true)
	page := "/import?kind=surveys"
	wide := "module;g1;g2;g3;g4;g5;g6;g7\nK-125;3,781;3,780;3,779;3,781;3,780;3,781;3,780\n" +
		"K-126;3,781;3,780;3,779;3,600;3,780;3,781;3,780\n"
	w := s.form(page, "/import", url.Values{"kind": {"surveys"}, "data": {wide}})
	if b := w.Body.String(); w.Code != 200 || !strings.Contains(b, "Ready: 2 rows") ||
		!strings.Contains(b, "suspect") {
		t.Errorf("wide: %d", w.Code)
	}
	long := "module,group,volts\nK-125,1,3.781\nK-125,2,high\nK-999,1,3.7\nK-013,1,3.3\n"
	w = s.form(page, "/import", url.Values{"kind": {"surveys"}, "data": {long}, "save": {"yes"}})
	for _, want := range []string{"line 3, group 2", "K-999 does not exist", "in quarantine"} {
		if !strings.Contains(w.Body.String(), want) {
			t.Errorf("long: no %q", want)
		}
	}
	w = s.form(page, "/import", url.Values{"kind": {"surveys"}, "data": {wide}, "save": {"yes"},
		"token": {"one-import-only"}})
	if w.Code != http.StatusSeeOther {
		t.Fatalf("saved: %d", w.Code)
	}
	if w = s.form(page, "/import", url.Values{"kind": {"surveys"}, "data": {wide}, "save": {"yes"},
		"token": {"one-import-only"}}); w.Code != http.StatusSeeOther {
		t.Errorf("sent again: %d", w.Code)
	}
	var n int64
	s.st.DB.Model(&store.Survey{}).Where("instrument = 'imported'").Count(&n)
	if n != 2 {
		t.Errorf("%d surveys from two imports of one form", n)
	}
	if w = s.form(page, "/import", url.Values{"kind": {"surveys"},
		"data": {" "}}); w.Code != http.StatusUnprocessableEntity {
		t.Errorf("nothing pasted: %d", w.Code)
	}
}

func TestPracticeTellsTheTruthAtTheEnd(t *testing.T) {
	s := newSite(t, false)
	log := ""
	at := regexp.MustCompile(`<textarea name="log" hidden>([^<]*)</textarea>`)
	for i, pair := range [][2]string{{"P1", "P2"}, {"P3", "P2"}, {"P1", "P3"}} {
		w := s.form("/practice/three-posts?seed=4", "/practice/three-posts",
			url.Values{"seed": {"4"}, "log": {log}, "red": {pair[0]}, "black": {pair[1]}, "take": {"yes"}})
		if w.Code != 200 || strings.Contains(w.Body.String(), "You said") {
			t.Fatalf("%d: the truth was told early", w.Code)
		}
		log = at.FindStringSubmatch(w.Body.String())[1]
		if n := strings.Count(log, "\n"); n != i+1 {
			t.Fatalf("%d readings after %d", n, i+1)
		}
	}
	w := s.form("/practice/three-posts?seed=4", "/practice/three-posts",
		url.Values{"seed": {"4"}, "log": {log}, "red": {"P1"}, "black": {"P1"}, "take": {"yes"}})
	if !strings.Contains(w.Body.String(), "both probes on P1") {
		t.Error("both probes on one post gave a reading")
	}
	w = s.form("/practice/three-posts?seed=4", "/practice/three-posts",
		url.Values{"seed": {"4"}, "log": {log}, "answer": {"yes"}, "series": {"3"}})
	if b := w.Body.String(); !strings.Contains(b, "You said 3 groups in series, there are 2.") ||
		!strings.Contains(b, "You took 3 readings") {
		t.Error("a wrong answer is not told")
	}
	if code, _ := s.get("/practice/juggling"); code != http.StatusNotFound {
		t.Errorf("a case that does not exist: %d", code)
	}
}

func TestASurveyFromTheMonitor(t *testing.T) {
	s := newSite(t, true)
	if w := s.form("/modules/K-125/survey", "/modules/K-125/survey/monitor",
		url.Values{"g1": {"3,7"}, "alone": {"alone"}}); w.Code != http.StatusUnprocessableEntity ||
		!strings.Contains(w.Body.String(), "no cell monitor is set up") ||
		!strings.Contains(w.Body.String(), `value="3,7"`) {
		t.Errorf("without a monitor: %d", w.Code)
	}
	m, err := instrument.StartMonitor("127.0.0.1:0", 1)
	if err != nil {
		t.Fatal(err)
	}
	defer m.Stop()
	s.shop.MonitorAddress = m.Address
	spec := virtual.Spec{Chemistry: chem.NMC, Series: 7, RatedAh: 46, SoH: 0.9, SoC: 0.5, ResistanceOhms: 0.002}
	rng := rand.New(rand.NewPCG(1, 1))
	read := func() (int, string) {
		w := s.form("/modules/K-125/survey", "/modules/K-125/survey/monitor", url.Values{"alone": {"alone"}})
		return w.Code, w.Body.String()
	}
	if w := s.form("/modules/K-125/survey", "/modules/K-125/survey/monitor",
		url.Values{}); w.Code != http.StatusUnprocessableEntity ||
		!strings.Contains(w.Body.String(), "alone on the module") {
		t.Errorf("read without a word of what else is on it: %d", w.Code)
	}
	if code, body := read(); code != http.StatusUnprocessableEntity || !strings.Contains(body, "nothing is plugged") {
		t.Errorf("nothing plugged in: %d", code)
	}
	wrong := spec
	wrong.Series = 4
	m.Plug(virtual.New(rng, "A", wrong))
	if code, body := read(); code != http.StatusUnprocessableEntity ||
		!strings.Contains(body, "sees 4 groups, TRIKE-7 has 7") {
		t.Errorf("another type plugged in: %d", code)
	}
	m.Plug(virtual.New(rng, "A", spec), 5)
	if code, body := read(); code != http.StatusUnprocessableEntity ||
		!strings.Contains(body, "input 5 of the monitor is open") {
		t.Errorf("an open input: %d", code)
	}
	m.Plug(virtual.New(rng, "A", spec))
	code, body := read()
	if code != 200 || !strings.Contains(body, `value="cell monitor"`) || strings.Count(body, ` value="3.7`) !=
		7+strings.Count(body, `<data value="3.7`) {
		t.Errorf("%d, %d volts", code, strings.Count(body, ` value="3.7`))
	}
	var n int64
	s.st.DB.Model(&store.Survey{}).Where("module_id = (SELECT id FROM modules WHERE number = 'K-125')").Count(&n)
	if n != 0 {
		t.Error("reading the monitor saved a survey that nobody looked at")
	}
}

// What a family strip sends out is read in again: two sittings of one module are two surveys at their
// own times, and the same file once more is refused row by row.
func TestSurveysOutAndInAgain(t *testing.T) {
	s := newSite(t, true)
	table := "module;group;volts;taken_at;rest_min;verdict\n"
	for _, day := range []string{"2026-11-20T09:30", "2026-11-22T09:30"} {
		for g := 1; g <= 7; g++ {
			table += fmt.Sprintf("K-127;%d;3,78%d;%s;600;ok\n", g, g, day)
		}
	}
	page := "/import?kind=surveys"
	send := func(data, save string) string {
		return s.form(page, "/import", url.Values{"kind": {"surveys"}, "data": {data}, "save": {save},
			"token": {fmt.Sprintf("times-%d-%s", len(data), save)}}).Body.String()
	}
	if body := send(strings.Replace(table, "2026-11-22T09:30", "tomorrow", 1), ""); !strings.Contains(body,
		"expected a time such as") {
		t.Error("a word for a time was taken")
	}
	if body := send(table, ""); strings.Contains(body, "cannot be used") || strings.Count(body, ">ok<") < 2 &&
		strings.Count(body, "ok</span>") < 2 {
		t.Errorf("two good sittings: %.600s", body)
	}
	send(table, "yes")
	var n int64
	s.st.DB.Model(&store.Survey{}).Where("module_id = (SELECT id FROM modules WHERE number = 'K-127') AND " +
		"instrument = 'imported'").Count(&n)
	if n != 2 {
		t.Errorf("%d surveys", n)
	}
	var id int64
	s.st.DB.Raw("SELECT id FROM modules WHERE number = 'K-127'").Scan(&id)
	_, csv := s.get(fmt.Sprintf("/strip/module/%d?as=csv", id))
	if body := send(csv, ""); !strings.Contains(body, "on record already") || !strings.Contains(body, "2 of 2") {
		t.Error("what was sent out and is on record was taken in a second time")
	}
}

// An empty field is not a reading of zero: against the case that would be the best isolation there is.
func TestAnEmptyFieldIsNoReading(t *testing.T) {
	s := newSite(t, true)
	for name, v := range map[string]url.Values{
		"only the whole":  {"step": {"isolation-before"}, "pack_v": {"121,6"}},
		"nothing at all":  {"step": {"isolation-before"}},
		"an empty lift":   {"step": {"lift-8"}},
		"one of two ends": {"step": {"isolation-before"}, "pack_v": {"121,6"}, "pos_v": {"14"}},
	} {
		t.Run(name, func(t *testing.T) {
			if w := s.form("/banks/5", "/banks/5/split", v); w.Code != http.StatusUnprocessableEntity ||
				!strings.Contains(w.Body.String(), "expected") {
				t.Errorf("%s: %d", name, w.Code)
			}
		})
	}
}

// A step that is no gate holds nothing up: a later one can be done first, and one that waits cannot be chosen.
func TestAStepThatIsNoGateCanWait(t *testing.T) {
	s := newSite(t, true)
	s.follow("/banks/standing", "/banks/standing", url.Values{"name": {"Hut"}, "nominal_v": {"24"}, "full_v": {"28,8"},
		"strings": {"1"}, "by": {"AK"}})
	body := s.follow("/banks/10", "/banks/10/open/step", url.Values{"step": {"owner"}, "confirm": {"yes"}})
	if !strings.Contains(body, "Now: Second person") || !strings.Contains(body, `href="?step=meter#gates"`) {
		t.Error("the meter cannot be chosen before the second person, who is no gate at 28.8 V")
	}
	if _, body := s.get("/banks/10/open?step=meter"); !strings.Contains(body, "Now: Meter proved") {
		t.Error("the chosen step is not shown")
	}
	if _, body := s.get("/banks/10/open?step=main"); strings.Contains(body, "Now: Main switch") ||
		strings.Contains(body, `href="?step=main#gates"`) {
		t.Error("a step behind an open gate was offered")
	}
}

func TestPinsOfAModuleLeaveItsDeadOnesOut(t *testing.T) {
	s := newSite(t, true)
	if _, body := s.get("/types/2/pins"); !strings.Contains(body, `<a href="?module=K-102">K-102</a> X5`) {
		t.Error("the type's sheet does not name the module with a dead pin")
	}
	_, body := s.get("/types/2/pins?module=K-102")
	if !strings.Contains(body, "Dead on K-102: X5") ||
		!regexp.MustCompile(`<b>X5</b></td><td class="text-end num">–`).MatchString(body) {
		t.Error("X5 of K-102 is given as a sense input")
	}
	if code, _ := s.get("/types/2/pins?module=K-001"); code != http.StatusNotFound {
		t.Errorf("a module of another type: %d", code)
	}
}

// A sign that is chosen is never dropped, whichever button is pressed.
func TestNothingFoundWithASignChosen(t *testing.T) {
	s := newSite(t, true)
	page := "/modules/K-209/inspect"
	_, body := s.get(page)
	if i, k := strings.Index(body, `<button class="visually-hidden"`), strings.Index(body, `name="clear"`); i < 0 ||
		i > k {
		t.Error("Enter in a field presses 'nothing found'")
	}
	w := s.form(page, page, url.Values{"clear": {"yes"}, "look-swelling": {"swollen"}, "by": {"AK"}})
	if w.Code != http.StatusUnprocessableEntity || !strings.Contains(w.Body.String(), "while signs are chosen") ||
		!regexp.MustCompile(`value="swollen" checked`).MatchString(w.Body.String()) {
		t.Errorf("%d: a hard sign was dropped", w.Code)
	}
}

// A withdrawal, a broken tap, an earlier sitting and a history by their forms.
func TestFormsOfAModule(t *testing.T) {
	s := newSite(t, true)
	page := "/modules/K-126/survey"
	v := url.Values{"span_from": {"3"}, "span_to": {"4"}, "span_v": {"7,562"}, "span_reason": {"tap broken"},
		"rest_min": {"60"}, "by": {"AK"}, "then": {"stay"}, "taken_at": {"2026-11-01T08:30"}}
	for _, g := range []int{1, 2, 5, 6, 7} {
		v.Set(fmt.Sprintf("g%d", g), "3,781")
	}
	v.Set("g4", "3,781")
	if w := s.form(page, page, v); w.Code != http.StatusUnprocessableEntity ||
		!strings.Contains(w.Body.String(), "read together with its neighbours") {
		t.Errorf("a group typed twice: %d", w.Code)
	}
	v.Del("g4")
	v.Del("token")
	body := s.follow(page, page, v)
	if !strings.Contains(body, ">2026-11-01 08:30</time>") || !strings.Contains(body, "read together") {
		t.Errorf("%s", saysOf(body))
	}
	body = s.follow("/modules/K-126", "/modules/K-126/history",
		url.Values{"history": {"unknown"}, "note": {"the seller does not know"}, "by": {"AK"}})
	if !strings.Contains(body, "asked, and not known: the seller does not know") {
		t.Error("the history is not shown")
	}
	w := s.form("/modules/K-126", "/modules/K-126/history", url.Values{"history": {"fine"}, "by": {"AK"}})
	if w.Code != http.StatusUnprocessableEntity || !strings.Contains(w.Body.String(), "expected one of") {
		t.Errorf("%d", w.Code)
	}
	v = url.Values{"rest_min": {"60"}, "by": {"AK"}, "then": {"stay"}, "confirm": {"yes"}}
	for g := 1; g <= 7; g++ {
		v.Set(fmt.Sprintf("g%d", g), "3,781")
	}
	slip := url.Values{}
	for k, x := range v {
		slip[k] = x
	}
	slip.Set("g5", "7,562")
	page = "/modules/K-127/survey"
	if body = s.follow(page, page, slip); !strings.Contains(body, "Held:") && !strings.Contains(body, "eads") {
		t.Errorf("%s", saysOf(body))
	}
	v.Del("token")
	s.follow(page, page, v)
	var first store.Survey
	s.st.DB.Where("module_id = (SELECT id FROM modules WHERE number = 'K-127')").Order("id").Take(&first)
	body = s.follow("/modules/K-127", "/modules/K-127/withdraw", url.Values{"survey": {fmt.Sprint(first.ID)},
		"group": {"5"}, "reason": {"the probe sat across two groups"}, "by": {"AK"}})
	if !strings.Contains(body, "group 5, the probe sat across two groups") {
		t.Error("the withdrawal is not shown")
	}
}

// What a scanner reads: a label's whole address, a number from a tray.
func TestScannedTextIsFound(t *testing.T) {
	s := newSite(t, true)
	for q, want := range map[string]string{"http://bench.local:8460/m/K-104": "/modules/K-104",
		"k-104": "/modules/K-104", "K-128/4": "/modules/K-128/open", "https://else.example/other/K-104": ""} {
		t.Run(q, func(t *testing.T) {
			w := s.do(httptest.NewRequest(http.MethodGet, "/search?q="+url.QueryEscape(q), nil))
			if got := w.Header().Get("Location"); got != want {
				t.Errorf("%s: %q, expected %q", q, got, want)
			}
		})
	}
}

// A log is shown as it was read before anything is kept, and every column may be named otherwise.
func TestALogIsLookedAtBeforeItIsKept(t *testing.T) {
	s := newSite(t, true)
	var b strings.Builder
	b.WriteString("Moment;Klemme;Strom\n")
	for i := range 300 {
		amps := -9.2
		if i < 35 {
			amps = 0
		}
		fmt.Fprintf(&b, "%d;%.3f;%.1f\n", i*60, 28.9-0.02*float64(i), amps)
	}
	count := func() (n int64) {
		s.st.DB.Model(&store.Test{}).Where("module_id = (SELECT id FROM modules WHERE number = 'K-125')").Count(&n)
		return n
	}
	w := s.uploadAs("K-125", "odd.csv", b.String(), nil)
	if w.Code != http.StatusUnprocessableEntity || !strings.Contains(w.Body.String(), "say what its columns hold") ||
		!strings.Contains(w.Body.String(), "Klemme") || count() != 0 {
		t.Fatalf("%d, %d kept", w.Code, count())
	}
	sha := regexp.MustCompile(`name="file_sha" value="([0-9a-f]{64})"`).FindStringSubmatch(w.Body.String())
	if sha == nil {
		t.Fatal("the file is to be chosen again")
	}
	say := url.Values{"file_sha": {sha[1]}, "file_name": {"odd.csv"}, "col1": {"time"}, "col2": {"volts"},
		"col3": {"amps"}, "by": {"AK"}}
	page := "/modules/K-125/test"
	w = s.form(page, "/modules/K-125/trace", say)
	if w.Code != http.StatusOK || !strings.Contains(w.Body.String(), "Not kept yet") ||
		!strings.Contains(w.Body.String(), "svg") || count() != 0 {
		t.Fatalf("%d, %d kept: %s", w.Code, count(), saysOf(w.Body.String()))
	}
	say.Set("col3", "volts")
	say.Set("unit3", "furlong")
	if w = s.form(page, "/modules/K-125/trace", say); w.Code != http.StatusUnprocessableEntity ||
		!strings.Contains(w.Body.String(), "has no unit furlong") {
		t.Errorf("%d: a unit that does not exist", w.Code)
	}
	say.Set("col3", "amps")
	say.Del("unit3")
	say.Set("keep", "yes")
	s.follow(page, "/modules/K-125/trace", say)
	if count() != 1 {
		t.Errorf("%d kept", count())
	}
	say.Set("file_sha", strings.Repeat("0", 64))
	if w = s.form(page, "/modules/K-125/trace", say); w.Code != http.StatusUnprocessableEntity ||
		!strings.Contains(w.Body.String(), "choose the file again") {
		t.Errorf("%d: a file that was never sent", w.Code)
	}
}

// Small figures are not rounded away: the resistor for 7.5 V bears 0.03 W, not 0.0.
func TestWattsAreNotRoundedAway(t *testing.T) {
	s := newSite(t, true)
	if _, body := s.get("/modules/K-208/isolation"); !strings.Contains(body,
		`data-from="worked">0.03</data> W or more`) {
		t.Error("the resistor's watts")
	}
	w := s.form("/station/design", "/banks", url.Values{"name": {"Mill"}, "cutoff_v": {"44"}, "charge_max_v": {"58"},
		"abs_max_v": {"63"}, "load_w": {"10000"}, "kwh": {"3"}, "by": {"AK"}})
	_, body := s.get(w.Header().Get("Location"))
	if !strings.Contains(body, ">10000</data> W") || strings.Contains(body, "e+04") {
		t.Error("ten kilowatts are written with an exponent")
	}
	if !strings.Contains(body, "Not asked yet") {
		t.Error("frost is taken for answered")
	}
}

// An answer that is lost and sent again is one action; sent again with a value put right it is another one, and
// is not dropped.
func TestSentAgainWithAChange(t *testing.T) {
	s := newSite(t, true)
	page := "/modules/K-127/history"
	v := url.Values{"history": {"unknown"}, "by": {"AK"}, "token": {"abcdefabcdefabcdefabcdef"}}
	s.follow("/modules/K-127", page, v)
	s.follow("/modules/K-127", page, v) // the same once more
	v.Set("history", "crash")
	if body := s.follow("/modules/K-127", page, v); !strings.Contains(body, "<p>crash.</p>") {
		t.Error("the corrected answer was dropped")
	}
	var n int64
	s.st.DB.Model(&store.Event{}).Where("kind = 'history' AND module_id = (SELECT id FROM modules WHERE number = " +
		"'K-127')").Count(&n)
	if n != 2 {
		t.Errorf("%d entries, expected 2", n)
	}
}

// The rows of a list share its token: who presses two of them before the page is there anew has done two things, and
// who presses one twice has done one.
func TestEachRowOfAListIsAnActionOfItsOwn(t *testing.T) {
	s := newSite(t, true)
	code, body := s.get("/station/grade")
	if code != http.StatusOK {
		t.Fatal(code)
	}
	values := url.Values{"_csrf": {csrfField.FindStringSubmatch(body)[1]}, "token": {"one-token-of-the-list"},
		"by": {"AK"}, "back": {"list"}}
	send := func(number string) {
		r := httptest.NewRequest(http.MethodPost, "/modules/"+number+"/grade", strings.NewReader(values.Encode()))
		r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
		r.Header.Set("Sec-Fetch-Site", "same-origin")
		if w := s.do(r); w.Code != http.StatusSeeOther {
			t.Fatalf("%s: %d", number, w.Code)
		}
	}
	for _, number := range []string{"K-017", "K-018", "K-018"} {
		send(number)
	}
	for _, number := range []string{"K-017", "K-018"} {
		var n int64
		if err := s.st.DB.Raw("SELECT count(*) FROM gradings WHERE module_id = (SELECT id FROM modules WHERE "+
			"number = ?)", number).Scan(&n).Error; err != nil || n != 1 {
			t.Errorf("%s has %d grades, %v", number, n, err)
		}
	}
}

// Of a table of results those that are no capacity are named, with why.
func TestResultsThatAreNoCapacityAreNamed(t *testing.T) {
	s := newSite(t, true)
	page := "/lots/2/results"
	var found []string
	s.st.DB.Model(&store.Module{}).Where("lot_id = 2 AND station = 'test' AND quarantined = 0 AND type_id = 2").
		Order("number").Limit(3).Pluck("number", &found)
	if len(found) < 3 {
		t.Fatalf("%v wait in lot 2", found)
	}
	grid := fmt.Sprintf("%s 40.1 2,99\n%s 39.7 3.31\n%s 41", found[0], found[1], found[2])
	body := s.follow(page, page, url.Values{"grid": {grid}, "from_full": {"yes"}, "amps": {"10"}, "by": {"AK"}})
	for _, want := range []string{"ended at 3.31 V, and its floor is 3.00 V", "nobody wrote down at what volts"} {
		if !strings.Contains(data.ReplaceAllString(body, ""), want) {
			t.Errorf("no word of %q: %s", want, saysOf(body))
		}
	}
	if strings.Contains(body, found[0]+"</a>") && strings.Contains(body, "2.99 V, and its floor") {
		t.Error("a complete one is named")
	}
}
