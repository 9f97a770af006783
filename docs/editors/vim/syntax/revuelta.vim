" Syntax of plans, made by: revuelta editor vim
if exists("b:current_syntax")
  finish
endif
syn case match
syn match revueltaStep "^\(append\|assert\|beside\|bundle\|cast\|combine\|distinct\|explode\|fields\|fill\|first\|given\|group\|join\|mark\|number\|pivot\|read\|recode\|rename\|scrub\|set\|sort\|split\|stencil\|transpose\|unpivot\|where\|write\)\ze\(\s\|$\)"
syn match revueltaUnknown "\(^\|\s\)\zs--[a-z-]\+"
syn match revueltaOption "\(^\|\s\)\zs--\(across\|add\|against\|ahead\|alone\|also\|among\|area\|as\|as-text\|at\|back\|balance\|blank\|body\|bom\|bring\|by\|calc\|case\|cell\|comment\|crlf\|cycle\|decimal\|decimals\|delimiter\|distinct\|down\|each-row\|else\|empty\|encoding\|escape\|every\|exact\|expect\|fewer\|fields\|filled\|flatten\|foot\|from\|header\|header-first\|header-join\|into\|json\|keep\|label\|language\|limit\|line-end\|lower\|map\|more\|most-fields\|name\|negative\|on\|order\|others\|overwrite\|partners\|pick\|position\|query\|quote\|read-as\|right\|row\|rows\|running\|scale\|sheet\|side\|skip-blank\|snake\|source\|source-part\|strip\|that\|thousands\|to\|top\|totals\|totals-name\|typed\|uneven\|unfit\|unique\|up\|value\|when\|widths\|with\|within\|write\|write-as\|write-blank\|write-decimal\|write-delimiter\)\ze\(\s\|=\|$\)"
syn match revueltaMark "\(^\|\s\)\zs@[^ \t'\"]\+"
syn match revueltaFunction "\<\(abs\|blank\|ceil\|count\|date\|day\|days_between\|digits\|distinct\|first\|fits\|fixed\|floor\|greatest\|hour\|hours_between\|if\|join\|last\|least\|left\|length\|lower\|max\|mean\|median\|min\|minutes_between\|mode\|month\|month_end\|month_of_year\|number\|part\|pick\|quarter\|reads\|replace\|right\|round\|share\|stdev\|sum\|text\|time\|title\|trim\|upper\|var\|week\|weekday\|year\|p[1-9][0-9]\?\)\ze(" contained
syn match revueltaOperator "\<\(and\|or\|not\|in\|as\|desc\)\>" contained
syn match revueltaPlace "{[^{}]*}"
syn match revueltaGiven "\${[^{}]*}"
syn region revueltaText start="'" end="'" contains=revueltaFunction,revueltaOperator,revueltaPlace,revueltaGiven,revueltaInner
syn region revueltaText start=+"+ end=+"+ contains=revueltaPlace,revueltaGiven
syn region revueltaInner start=+"+ end=+"+ contained oneline
syn match revueltaComment "^#.*$\|\s\zs#\s.*$"
hi def link revueltaComment Comment
hi def link revueltaFunction Function
hi def link revueltaGiven PreProc
hi def link revueltaInner Constant
hi def link revueltaMark Constant
hi def link revueltaOperator Operator
hi def link revueltaOption Identifier
hi def link revueltaPlace Special
hi def link revueltaStep Statement
hi def link revueltaText String
hi def link revueltaUnknown Error
let b:current_syntax = "revuelta"
