package store_test

import (
	"bufio"
	"context"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"gorm.io/gorm"

	"pandrel/store"
)

func open(t testing.TB, dir string) *store.Store {
	t.Helper()
	st, err := store.Open(dir)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = st.Close() })
	return st
}

// seed writes a lot, a type and a module, and returns the module's id.
func seed(t testing.TB, st *store.Store) int64 {
	t.Helper()
	now := time.Now()
	lot := store.Lot{Supplier: "Depot", ArrivedOn: "2026-11-20", CreatedAt: now}
	typ := store.ModuleType{Name: "TRIKE-7", Chemistry: "nmc", RatedAh: 46, CreatedAt: now}
	for _, row := range []any{&lot, &typ} {
		if err := st.DB.Create(row).Error; err != nil {
			t.Fatal(err)
		}
	}
	m := store.Module{Number: "K-001", LotID: lot.ID, TypeID: typ.ID, Station: "survey", StationSince: now,
		CreatedAt: now}
	if err := st.DB.Create(&m).Error; err != nil {
		t.Fatal(err)
	}
	return m.ID
}

// save writes one survey with its readings in one transaction.
func save(st *store.Store, module int64, token string) error {
	return st.Write(context.Background(), func(tx *gorm.DB) error {
		s := store.Survey{ModuleID: module, TakenBy: "AK", TakenAt: time.Now(), RestMinutes: -1, Token: token}
		if err := tx.Create(&s).Error; err != nil {
			return err
		}
		for g := 1; g <= 7; g++ {
			if err := tx.Create(&store.SurveyReading{SurveyID: s.ID, GroupNo: g, Volts: 3.7,
				AsTyped: "3,700"}).Error; err != nil {
				return err
			}
		}
		return nil
	})
}

func TestMeasuredRowsOnlyGrow(t *testing.T) {
	st := open(t, t.TempDir())
	m := seed(t, st)
	if err := save(st, m, "one"); err != nil {
		t.Fatal(err)
	}
	for _, stmt := range []string{
		"UPDATE survey_readings SET volts = 9", "DELETE FROM survey_readings", "UPDATE surveys SET taken_by = 'X'",
		"DELETE FROM surveys",
	} {
		if err := st.DB.Exec(stmt).Error; err == nil || !strings.Contains(err.Error(), "only grows") {
			t.Errorf("%s: %v", stmt, err)
		}
	}
	var volts float64
	if err := st.DB.Raw("SELECT volts FROM survey_readings WHERE group_no = 1").Scan(&volts).Error; err != nil ||
		volts != 3.7 {
		t.Errorf("the reading is now %v, %v", volts, err)
	}
}

func TestForeignKeysAndUniqueNumbersHold(t *testing.T) {
	st := open(t, t.TempDir())
	seed(t, st)
	if err := save(st, 999, "x"); err == nil {
		t.Error("a survey of a module that does not exist was kept")
	}
	if err := st.DB.Create(&store.Module{Number: "k-001", LotID: 1, TypeID: 1, Station: "survey",
		StationSince: time.Now(), CreatedAt: time.Now()}).Error; err == nil {
		t.Error("a number that differs only in case was taken twice")
	}
	var mode string
	if err := st.DB.Raw("PRAGMA journal_mode").Scan(&mode).Error; err != nil || mode != "wal" {
		t.Errorf("journal mode %q, %v", mode, err)
	}
}

func TestAFailedTransactionLeavesNothing(t *testing.T) {
	st := open(t, t.TempDir())
	m := seed(t, st)
	err := st.Write(context.Background(), func(tx *gorm.DB) error {
		if err := tx.Create(&store.Survey{ModuleID: m, TakenBy: "AK", TakenAt: time.Now(),
			Token: "half"}).Error; err != nil {
			return err
		}
		return fmt.Errorf("the lead came off")
	})
	var n int64
	st.DB.Model(&store.Survey{}).Count(&n)
	if err == nil || n != 0 {
		t.Errorf("%v, %d surveys", err, n)
	}
}

func TestBackupIsWholeWhileWritten(t *testing.T) {
	dir := t.TempDir()
	st := open(t, dir)
	m := seed(t, st)
	stop, done := make(chan bool), make(chan error, 1)
	go func() {
		for i := 0; ; i++ {
			select {
			case <-stop:
				done <- nil
				return
			default:
				if err := save(st, m, fmt.Sprint("w", i)); err != nil {
					done <- err
					return
				}
			}
		}
	}()
	time.Sleep(50 * time.Millisecond)
	copyDir := t.TempDir()
	if err := store.Backup(dir, filepath.Join(copyDir, store.FileName)); err != nil {
		t.Fatal(err)
	}
	close(stop)
	if err := <-done; err != nil {
		t.Fatal(err)
	}
	back := open(t, copyDir)
	var surveys, readings int64
	back.DB.Model(&store.Survey{}).Count(&surveys)
	back.DB.Model(&store.SurveyReading{}).Count(&readings)
	if surveys == 0 || readings != 7*surveys {
		t.Errorf("the copy holds %d surveys and %d readings", surveys, readings)
	}
}

const killEnv = "PANDREL_STORE_KILL_DIR"

// TestKillNineLosesNothingAcknowledged runs a second process that saves and acknowledges surveys,
// kills it in the middle, and counts.
func TestKillNineLosesNothingAcknowledged(t *testing.T) {
	if dir := os.Getenv(killEnv); dir != "" {
		st := open(t, dir)
		for i := 0; ; i++ {
			token := fmt.Sprintf("survey-%d", i)
			if err := save(st, 1, token); err != nil {
				fmt.Println("failed", err)
				return
			}
			fmt.Println("ack", token)
		}
	}
	dir := t.TempDir()
	st := open(t, dir)
	seed(t, st)
	total := 0
	for round := range 3 {
		cmd := exec.Command(os.Args[0], "-test.run", "TestKillNineLosesNothingAcknowledged", "-test.v")
		cmd.Env = append(os.Environ(), killEnv+"="+dir)
		out, err := cmd.StdoutPipe()
		if err != nil {
			t.Fatal(err)
		}
		if err := cmd.Start(); err != nil {
			t.Fatal(err)
		}
		var acked []string
		lines := bufio.NewScanner(out)
		for lines.Scan() {
			if token, ok := strings.CutPrefix(lines.Text(), "ack "); ok {
				acked = append(acked, fmt.Sprintf("%d/%s", round, token))
				if len(acked) == 5+7*round {
					_ = cmd.Process.Kill() // SIGKILL, while the next save is under way
				}
			}
		}
		_ = cmd.Wait()
		if len(acked) < 5 {
			t.Fatalf("only %d saves were acknowledged", len(acked))
		}
		total += len(acked)
		// Tokens are unique, so each round must go on where the last one ended: give it a new file.
		var kept []string
		if err := st.DB.Model(&store.Survey{}).Pluck("token", &kept).Error; err != nil {
			t.Fatal(err)
		}
		have := map[string]bool{}
		for _, k := range kept {
			have[k] = true
		}
		for _, a := range acked {
			if token := strings.SplitN(a, "/", 2)[1]; !have[token] {
				t.Errorf("round %d: %s was acknowledged and is lost", round, token)
			}
		}
		var torn int64
		st.DB.Raw("SELECT count(*) FROM surveys s WHERE (SELECT count(*) FROM survey_readings r WHERE r.survey_id " +
			"= s.id) <> 7").Scan(&torn)
		var check string
		st.DB.Raw("PRAGMA integrity_check").Scan(&check)
		if torn != 0 || check != "ok" {
			t.Errorf("round %d: %d torn surveys, integrity %s", round, torn, check)
		}
		dir = t.TempDir()
		st = open(t, dir)
		seed(t, st)
	}
	if total < 30 {
		t.Errorf("only %d saves in all", total)
	}
}
