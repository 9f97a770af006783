module revuelta

go 1.26.0

require (
	github.com/agnivade/levenshtein v1.2.2
	github.com/expr-lang/expr v1.17.8
	github.com/fatih/color v1.19.0
	github.com/fsnotify/fsnotify v1.10.1
	github.com/go-json-experiment/json v1.27.2
	github.com/go-playground/locales v0.14.2
	github.com/itchyny/timefmt-go v0.1.9
	github.com/jackc/pgx/v5 v5.13.0
	github.com/klauspost/compress v1.20.3
	github.com/mattn/go-runewidth v0.0.31
	github.com/ohler55/ojg v1.28.5
	github.com/parquet-go/parquet-go v0.32.0
	github.com/rogpeppe/go-internal v1.16.0
	github.com/stretchr/testify v1.12.1
	github.com/urfave/cli/v3 v3.14.0
	golang.org/x/sys v0.49.0
	golang.org/x/term v0.47.0
	golang.org/x/text v0.43.0
	modernc.org/sqlite v1.61.1
	pgregory.net/rapid v1.3.0
)

require (
	github.com/andybalholm/brotli v1.1.1 // indirect
	github.com/clipperhouse/uax29/v2 v2.2.0 // indirect
	github.com/dustin/go-humanize v1.1.0 // indirect
	github.com/google/uuid v1.6.0 // indirect
	github.com/jackc/pgpassfile v1.0.0 // indirect
	github.com/jackc/pgservicefile v0.0.0-20240606120523-5a60cdf6a761 // indirect
	github.com/mattn/go-colorable v0.1.14 // indirect
	github.com/mattn/go-isatty v0.0.24 // indirect
	github.com/ncruces/go-strftime v1.1.0 // indirect
	github.com/parquet-go/bitpack v1.0.0 // indirect
	github.com/parquet-go/jsonlite v1.0.0 // indirect
	github.com/pierrec/lz4/v4 v4.1.21 // indirect
	github.com/remyoudompheng/bigfft v0.0.0-20230129092748-24d4a6f8daec // indirect
	github.com/twpayne/go-geom v1.6.1 // indirect
	go.yaml.in/yaml/v3 v3.0.5 // indirect
	golang.org/x/tools v0.52.0 // indirect
	google.golang.org/protobuf v1.34.2 // indirect
	modernc.org/libc v1.79.0 // indirect
	modernc.org/mathutil v1.7.1 // indirect
	modernc.org/memory v1.12.1 // indirect
)
