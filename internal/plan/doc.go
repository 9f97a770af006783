// Package plan reads plans: text files with one step a line.
//
//	plan   = { line }
//	line   = [ step ] [ comment ]
//	step   = NAME { word }, gone on with by lines that begin with a blank
//	word   = { plain | '…' | "…" }
//	comment= # at the beginning of a line or between blanks, to the end of the line; #2 is a word
//
// Words are quoted as in a shell: nothing is special inside '…'; inside "…" a
// backslash takes the meaning off a quote or a backslash; outside quotes a
// backslash is itself. A word that begins with -- is an option: --name,
// --name VALUE or --name=VALUE, as the step's description says; a lone -- ends
// the options. All errors of a plan are found in one go.
package plan
