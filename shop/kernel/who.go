package kernel

import (
	"context"
	"strings"

	"gorm.io/gorm"
)

// whoKey is where a context holds who acts in it.
type whoKey struct{}

// nobody is who did what happened by itself, or what nobody signed.
const nobody = "–"

// By is a context in which somebody acts: initials today, a person who signed in tomorrow. Whatever is saved in it is
// signed with that.
func By(ctx context.Context, who string) context.Context {
	return context.WithValue(ctx, whoKey{}, strings.TrimSpace(who))
}

// Who is who acts in a context.
func Who(ctx context.Context) string {
	if who := Signed(ctx); who != "" {
		return who
	}
	return nobody
}

// Signed is who acts in a context, "" for nobody: what must be signed is refused then.
func Signed(ctx context.Context) string {
	who, _ := ctx.Value(whoKey{}).(string)
	return who
}

// Acts is who acts in an action.
func Acts(tx *gorm.DB) string { return Who(tx.Statement.Context) }
