package finding

import "fmt"

// Names writes a list as people say it; a long one is cut and counted as so many of what they are.
func Names(names []string, what string) string {
	if len(names) > 8 {
		return fmt.Sprintf("%s, … and %s (%d %s)", names[0], names[len(names)-1], len(names), what)
	}
	out := ""
	for i, n := range names {
		switch {
		case i == 0:
		case i == len(names)-1:
			out += " and "
		default:
			out += ", "
		}
		out += n
	}
	return out
}

// Was is Names with the verb that goes with them: "K-1 was", "K-1 and K-2 were".
func Was(names []string, what string) string {
	if len(names) == 1 {
		return names[0] + " was"
	}
	return Names(names, what) + " were"
}
