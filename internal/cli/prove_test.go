package cli

import (
	"context"
	"testing"

	"github.com/stretchr/testify/require"

	"revuelta/internal/inspect"
)

// TestProver: steps run on a table in memory, with cells of every kind.
func TestProver(t *testing.T) {
	in := inspect.Table{Names: []string{"a", "b,c"}, Rows: [][]string{{" 1 ", "x\ny"}, {"", ""}, {`"`, "026"}}}
	out, err := prover(context.Background())("scrub a\nnumber n", in)
	require.NoError(t, err)
	require.Equal(t, inspect.Table{Names: []string{"a", "b,c", "n"}, Rows: [][]string{{"1", "x\ny", "1"}, {"", "", "2"}, {`"`, "026", "3"}}}, out)
	out, err = prover(context.Background())("scrub *", inspect.Table{Names: []string{"a"}, Rows: [][]string{{""}, {"x "}}})
	require.NoError(t, err)
	require.Equal(t, [][]string{{""}, {"x"}}, out.Rows)
	_, err = prover(context.Background())("cast a number", in)
	require.ErrorContains(t, err, "not a number")
}
