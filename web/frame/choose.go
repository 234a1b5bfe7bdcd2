package frame

import (
	"fmt"

	"pandrel/web/choice"
)

// chooseView is a list to choose from with its label, what is chosen, and what is wrong with it.
type chooseView struct {
	ID, Name, Label, Hint, Value, Error, Saved string
	Choices                                    []choice.Of
}

// choose is a list to choose from as a part: values and texts in turn, or lists of choices; the first stands for what
// was not chosen yet.
func choose(f *Form, name, label, hint string, from ...any) (chooseView, error) {
	v := chooseView{ID: "f-" + f.Kind + "-" + name, Name: name, Label: label, Hint: hint, Value: f.Get(name),
		Error: f.Bads[name], Saved: f.Theirs[name]}
	for i := 0; i < len(from); i++ {
		switch x := from[i].(type) {
		case []choice.Of:
			v.Choices = append(v.Choices, x...)
		case []any: // values and texts in turn
			for k := 0; k+1 < len(x); k += 2 {
				v.Choices = append(v.Choices, choice.Of{Value: fmt.Sprint(x[k]), Text: fmt.Sprint(x[k+1])})
			}
		default:
			if i++; i == len(from) {
				return v, fmt.Errorf("%s: %v has no text: expected values and texts in turn", name, x)
			}
			v.Choices = append(v.Choices, choice.Of{Value: fmt.Sprint(x), Text: fmt.Sprint(from[i])})
		}
	}
	return v, nil
}
