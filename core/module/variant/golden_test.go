package variant_test

import (
	"testing"

	"pandrel/core/base/chem"
	"pandrel/core/module/variant"
	"pandrel/golden"
)

func TestWhereVariantsChange(t *testing.T) {
	mixed := inside(4, 2, variant.Bolted, variant.Bolted)
	mixed.Joints[1] = variant.Welded
	unknown := inside(3, 2, "", "")
	golden.Judged(t, "variants", []golden.Case[variant.Inside]{{Name: "bolted", In: inside(4, 2, variant.Bolted,
		variant.Bolted), Words: true}, {Name: "welded", In: inside(2, 3, variant.Welded, variant.Welded)},
		{Name: "mixed", In: mixed}, {Name: "not known", In: unknown}, {Name: "one", In: inside(1, 1, "", "")},
		{Name: "LFP of eight", In: func() variant.Inside {
			in := inside(8, 1, variant.Bolted, variant.Welded)
			in.Chemistry, in.GroupAh = chem.LFP, 100
			return in
		}()}}, func(in variant.Inside) (any, error) {
		if in.Series > 60 || in.Elements > 60 {
			return nil, nil
		}
		return variant.Variants(in)
	})
	golden.Same(t, "told", golden.Text([]any{variant.Told{}.Fill(4, 2), variant.Told{Elements: 3,
		Across: variant.Bolted}.Fill(3, 2), variant.Told{Joints: []string{variant.Welded}}.Fill(2, 1)}))
}
