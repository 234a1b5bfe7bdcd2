package pandrel

import (
	"regexp"
	"strings"
	"testing"
)

// recorded are the tables of what was measured, with the rows that were struck out; what counts of them stands in the
// views of their names with counting_ before them.
var recorded = map[string]string{"surveys": "Survey", "inspections": "Inspection", "tests": "Test",
	"probe_sets": "ProbeSet", "module_checks": "ModuleCheck",
	"isolation_checks": "IsolationCheck", "module_reads": "ModuleRead", "teardown_records": "TeardownRecord",
	"step_records": "StepRecord",
	"sense_checks": "SenseCheck", "bank_surveys": "BankSurvey"}

// What counts is answered in one place: nothing reads those tables past the views, but what says beside it why struck
// rows are wanted there too.
func TestWhatCountsIsAskedInOnePlace(t *testing.T) {
	var tables, models []string
	for table, model := range recorded {
		tables, models = append(tables, table), append(models, model)
	}
	text := `(?i)\b(from|join)\s+(` + strings.Join(tables, "|") + `)\b`
	model := `(Find|Take)\[store\.(` + strings.Join(models, "|") + `)\]|Model\(&store\.(` +
		strings.Join(models, "|") + `)\{\}\)|var \w+ \[\]store\.(` + strings.Join(models, "|") + `)\b`
	raw := regexp.MustCompile(text)
	typed := regexp.MustCompile(model)
	asked, excused := 0, 0
	each(t, func(path, text string) {
		if strings.HasSuffix(path, "_test.go") || !strings.HasPrefix(path, "shop/") && !strings.HasPrefix(path,
			"web/") && !strings.HasPrefix(path, "cmd/") || strings.HasPrefix(path, "shop/undo/") ||
			path == "shop/record/counting.go" { // which strikes them
			return
		}
		lines := strings.Split(text, "\n")
		for i, line := range lines {
			if !raw.MatchString(line) && !typed.MatchString(line) {
				continue
			}
			near := strings.Join(lines[max(0, i-6):min(len(lines), i+7)], "\n")
			switch {
			case (strings.Contains(near, "Counting(") || strings.Contains(near, "counting_")) && !raw.MatchString(line):
				asked++
			case strings.Contains(strings.ToLower(near), "struck too"):
				excused++
			default:
				t.Errorf("%s:%d reads what was struck out: ask the view, or say why with 'struck too'\n\t%s", path, i+1,
					strings.TrimSpace(line))
			}
		}
	}, ".go")
	if asked < 10 || excused > 16 {
		t.Errorf("%d places ask the views through models, %d are excused", asked, excused)
	}
}
