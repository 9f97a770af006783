package cli

import (
	"context"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strconv"

	"revuelta/internal/diag"
	"revuelta/internal/format"
	"revuelta/internal/run"
)

// execute runs a program and gives its account.
func (a *app) execute(ctx context.Context, c *call, p *run.Program) error {
	env := run.Env{Stdin: a.In, Stdout: a.Out, Aside: c.extra.Get("set-aside", ""), Most: c.extra.Get("most-aside", ""), LeftOut: c.extra.Get("left-out", "")}
	if env.Most != "" && env.Aside == "" {
		return diag.Usagef("--most-aside goes with --set-aside").Trying("--set-aside FILE")
	}
	if c.extra.Has("workers") {
		n, err := strconv.Atoi(c.extra.Get("workers", ""))
		if err != nil || n < 1 || n > 256 {
			return diag.Usagef("--workers %s: it is a number from 1 to 256", diag.Quote(c.extra.Get("workers", "")))
		}
		env.Workers = n
	}
	env.Temp, env.Keep = c.extra.Get("temp", ""), c.extra.Get("plan", "")
	if env.AccountFile = c.extra.Get("account", ""); env.AccountFile == "-" {
		env.AccountFile = ""
	}
	if env.ReportFile = c.extra.Get("report", ""); env.ReportFile == "-" {
		return diag.Usagef("--report -: the page goes to a file").Trying("--report FILE.html")
	}
	if env.ReportFile != "" { // better now than when all is done
		if _, err := os.Stat(filepath.Dir(env.ReportFile)); err != nil {
			return format.FileError(env.ReportFile, err)
		}
	}
	var err error
	if env.Memory, err = memoryLimit(c.extra.Get("memory", "")); err != nil {
		return err
	}
	if a.draw || isTerminal(a.Out) {
		env.Screen = func() run.Screen { return newScreen(a.Out, a.paint(a.Out)) }
	}
	var before *run.Account
	if c.args.Has("since") {
		if before, err = run.ReadAccount(c.args.Get("since", "")); err != nil {
			return err
		}
	}
	if err := run.Refuse(p, env); err != nil { // the account may be what is refused
		return err
	}
	var traced []*run.Traced
	if env.ReportFile != "" {
		traced = a.traced(ctx, p, env)
	}
	stop := a.progress(&env)
	paceCollector()
	account, err := run.Run(ctx, p, env)
	stop()
	if read := account.Read(); len(read) == 1 {
		c.found = &read[0].How
	}
	if path := c.extra.Get("account", ""); path != "" {
		if path == "-" {
			fmt.Fprint(a.Err, string(account.JSON()))
		} else if e := writeAccount(path, account); e != nil && err == nil {
			err = e
		}
	}
	if env.ReportFile != "" {
		if e := writeReport(env.ReportFile, a.reportOf(ctx, p, env, account, traced)); e != nil && err == nil {
			err = e
		}
	}
	if err == nil && !c.extra.Has("quiet") {
		width := 0
		if isTerminal(a.Err) {
			width, _ = terminalSize(a.Err)
		}
		if env.Screen != nil && len(account.Outputs) > 0 && account.Outputs[0].Name == run.OnScreen {
			a.tellf("\n")
		}
		a.tellf("%s", account.Text(width))
	}
	if err == nil && before != nil {
		told := account.Since(before)
		if len(told) == 0 {
			told = []string{"nothing out of the usual"}
		}
		for _, t := range told {
			a.tellf("since %s: %s\n", c.args.Get("since", ""), t)
		}
	}
	return err
}

func writeAccount(path string, account *run.Account) error {
	return writeWhole(path, func(to io.Writer) error {
		_, err := to.Write(account.JSON())
		return err
	})
}
