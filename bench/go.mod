module revuelta/bench

go 1.26.0

require (
	github.com/xuri/excelize/v2 v2.11.1
	revuelta v0.0.0
)

require (
	github.com/agnivade/levenshtein v1.2.2 // indirect
	github.com/klauspost/compress v1.20.3 // indirect
	github.com/richardlehane/mscfb v1.0.9 // indirect
	github.com/richardlehane/msoleps v1.0.6 // indirect
	github.com/tiendc/go-deepcopy v1.7.2 // indirect
	github.com/xuri/efp v0.0.3-0.20260924042702-217b81952dec // indirect
	github.com/xuri/nfp v0.0.2-0.20250530014748-2ddeb826f9a9 // indirect
	golang.org/x/crypto v0.58.0 // indirect
	golang.org/x/net v0.62.0 // indirect
	golang.org/x/sys v0.49.0 // indirect
	golang.org/x/text v0.43.0 // indirect
)

replace revuelta => ../
