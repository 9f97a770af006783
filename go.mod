module revuelta

go 1.26.0

require (
	github.com/agnivade/levenshtein v1.2.2
	github.com/cockroachdb/apd/v3 v3.2.3
	github.com/expr-lang/expr v1.17.8
	github.com/go-json-experiment/json v1.27.2
	github.com/itchyny/timefmt-go v0.1.9
	github.com/jedib0t/go-pretty/v6 v6.8.3
	github.com/klauspost/compress v1.20.3
	github.com/mattn/go-runewidth v0.0.31
	github.com/ohler55/ojg v1.28.5
	github.com/rogpeppe/go-internal v1.16.0
	github.com/stretchr/testify v1.12.1
	github.com/urfave/cli/v3 v3.14.0
	golang.org/x/term v0.47.0
	golang.org/x/text v0.43.0
	pgregory.net/rapid v1.3.0
)

require (
	github.com/clipperhouse/uax29/v2 v2.2.0 // indirect
	go.yaml.in/yaml/v3 v3.0.5 // indirect
	golang.org/x/sys v0.49.0 // indirect
	golang.org/x/tools v0.51.0 // indirect
)
