package finding

import "strings"

// Alike makes one judgement of those that say the same of several subjects, in the place of the first: ten modules that
// lack one thing are one thing to do, and ten lines of it hide what else stands there. Every subject stays named. Only
// those become one whose sentences begin with their subject and go on alike, with the same reading and limit.
func Alike(fs []Finding) []Finding {
	type kind struct {
		level                      Level
		code, rule, unit, rest, do string
		measured, limit            float64
		read, bound                bool
	}
	at, names := map[kind]int{}, map[int][]string{}
	var out []Finding
	for _, f := range fs {
		rest, led := strings.CutPrefix(f.Text, f.Subject+" ")
		if f.Subject == "" || !led {
			out = append(out, f)
			continue
		}
		k := kind{level: f.Level, code: f.Code, rule: f.Rule, unit: f.Unit, rest: rest, do: f.Do}
		if k.read = f.Measured != nil; k.read {
			k.measured = *f.Measured
		}
		if k.bound = f.Limit != nil; k.bound {
			k.limit = *f.Limit
		}
		i, seen := at[k]
		if !seen {
			i = len(out)
			at[k] = i
			out = append(out, f)
		}
		names[i] = append(names[i], f.Subject)
		if len(names[i]) > 1 {
			out[i].Subject = strings.Join(names[i], ", ")
			out[i] = out[i].Says("Each of these %d %s", len(names[i]), rest)
		}
	}
	return out
}
