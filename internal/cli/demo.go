package cli

import (
	"context"
	"os"

	"revuelta/demo"
	"revuelta/internal/diag"
	"revuelta/internal/format"
	"revuelta/internal/plan"
)

// runDemo writes the demo data and runs the example on it, each command before its result.
func runDemo(ctx context.Context, a *app, c *call) error {
	dir := "revuelta-demo"
	if len(c.args.Operands) > 1 {
		return diag.Usagef("demo takes one folder").Trying("revuelta demo DIR")
	}
	if len(c.args.Operands) == 1 {
		dir = c.args.Operands[0]
	}
	if err := demo.Write(dir); err != nil {
		return err
	}
	back, err := os.Getwd()
	if err != nil {
		return format.FileError(".", err)
	}
	if err := os.Chdir(dir); err != nil {
		return format.FileError(dir, err)
	}
	defer os.Chdir(back)
	a.sayf("The demo data is in %s.\n\n$ cd %s\n", dir, dir)
	// One story on one stream, drawn as on a terminal.
	shown := &app{Streams: Streams{In: a.In, Out: a.Out, Err: a.Out}, draw: true}
	for _, s := range demo.Scenes {
		a.sayf("\n%s\n\n$ %s\n", s.Why, s.Command)
		statements, err := plan.Parse("demo", s.Command)
		if err != nil {
			return err
		}
		var args []string
		for _, w := range statements[0].Words {
			args = append(args, w.Text)
		}
		if err := shown.run(ctx, args); err != nil {
			return err
		}
	}
	return nil
}
