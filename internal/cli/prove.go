package cli

import (
	"bytes"
	"context"
	"encoding/csv"
	"strings"

	"revuelta/internal/inspect"
	"revuelta/internal/plan"
	"revuelta/internal/run"
	"revuelta/internal/table"
)

// prover runs what look proposes on the rows it looked at, as any plan is run.
func prover(ctx context.Context) inspect.Prover {
	return func(steps string, in inspect.Table) (inspect.Table, error) {
		var text bytes.Buffer
		w := csv.NewWriter(&text)
		rows, header := in.Rows, "--header 1"
		if in.Names == nil {
			header = ""
		} else {
			rows = append([][]string{in.Names}, rows...)
		}
		for _, row := range rows {
			if len(row) == 1 && row[0] == "" {
				text.WriteString("\"\"\n") // else no row
				continue
			}
			_ = w.Write(row) // into memory
			w.Flush()
		}
		statements, err := plan.Parse("", "read - --read-as csv --delimiter , --encoding utf-8 "+header+"\n"+steps)
		if err != nil {
			return inspect.Table{}, err
		}
		p, err := plan.Build("look.plan", statements)
		if err != nil {
			return inspect.Table{}, err
		}
		p.Items = append(p.Items, &run.Write{})
		out := &proved{}
		_, err = run.Run(ctx, p, run.Env{Stdin: &text, Screen: func() run.Screen { return out }, Workers: 1})
		return out.Table, err
	}
}

// proved keeps a table in memory.
type proved struct{ inspect.Table }

func (k *proved) Start(s *table.Schema) error { k.Names = s.Names(); return nil }

func (k *proved) Emit(b *table.Batch) error {
	from := len(k.Rows)
	var text strings.Builder // theirs is used again
	for r := range b.Rows {
		row := b.Row(r, nil)
		for _, c := range row {
			text.WriteString(c)
		}
		k.Rows = append(k.Rows, row)
	}
	rest := text.String()
	for _, row := range k.Rows[from:] {
		for i, c := range row {
			row[i], rest = rest[:len(c)], rest[len(c):]
		}
	}
	return nil
}

func (k *proved) Close() error { return nil }
