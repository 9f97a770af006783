package reshape_test

import (
	"testing"

	"revuelta/internal/step/steptest"
)

// TestSteps: what each step makes of a table, rows parted by / and cells by |, and the errors it gives.
func TestSteps(t *testing.T) {
	steptest.Steps(t, []steptest.Case{
		// unpivot
		{"unpivot Jan..Mar --label month", "id|Jan|Feb|Mar/1|a||c", "id|month|value/1|Jan|a/1|Feb|/1|Mar|c"},
		{"unpivot Mar,Jan --value kilos", "Jan|id|Mar/a|1|b", "id|label|kilos/1|Mar|b/1|Jan|a"},
		{"unpivot * --skip-blank", "Jan|Feb/|b/|", "label|value/Feb|b"},
		{"unpivot '{@} {m}'", "id|kg May|jars May|kg June/1|2|3|4", "id|m|kg|jars/1|May|2|3/1|June|4|"},
		{"unpivot '{m} {@}' --skip-blank", "May kg|May jars|June kg|June jars/1||2|/|||", "m|kg|jars/May|1|/June|2|"},
		{"unpivot 'Q{q:#}{_}' --value v", "Q1a|Q2b|x/1|2|3", "x|q|v/3|1|1/3|2|2"},
		{"unpivot '{a}, {b}' --value v", "x, y|k/1|2", "k|a|b|v/2|x|y|1"},
		{"unpivot '{a} kg'", "{a} kg|k/1|2", "k|label|value/2|{a} kg|1"}, // an exact name wins
		{"unpivot --row 's = Q1, Q2' --row 'w = , Q4' --value x,y", "id|Q1|Q2|Q4/1|a|b|c", "id|label|x|y/1|s|a|b/1|w||c"},
		{"unpivot {@:a|b}", "a|b|c/1|2|3", "c|a|b/3|1|2"},
		{"unpivot Jan,Mrz", "id|Jan|Mar/1|2|3", `error: there is no field "Mrz"`},
		{"unpivot '{m} kg'", "id|Jan/1|2", "error: the pattern {m} kg fits none"},
		{"unpivot '{@} {m}'", "keeper name|kg May|jars May/1|2|3", `error: "keeper name" fits {@} {m}, but no other header shares`},
		{"unpivot '{@} {_}'", "kg May|kg June/1|2", "kg/1/2"},
		{"unpivot '{x}'", "a|b/1|2", "error: the pattern {x} fits every field: say among which it shall look"},
		{"unpivot '{x}' --among a", "a|b/1|2", "b|x|value/2|a|1"},
		{"unpivot '{q} {@:target|actul}'", "Q1 target|Q1 actual/1|2", `error: no header has the measure "actul"; the headers have target, actual`},
		{"unpivot Jan --label id", "id|Jan/1|2", `error: two fields would be named "id"`},
		{"unpivot Jan --label value", "id|Jan/1|2", "error: --label and --value have the same name"},
		{"unpivot '{m} kg' --label x", "id|Jan kg/1|2", "error: --label does not go with a pattern"},
		{"unpivot '{m} {@}' --value x", "id|Jan kg/1|2", "error: --value does not go with {@}"},
		{"unpivot '{m' --value x", "id|Jan kg/1|2", "error: the pattern {m can't be read"},
		{"unpivot Jan --among Jan", "id|Jan/1|2", "error: --among goes with a pattern only"},
		{"unpivot --row 's = Q1, Q2'", "Q1|Q2/1|2", "error: --row \"s = Q1, Q2\" names 2 fields, --value 1 name"},
		{"unpivot --row s=Q1 --row t=Q1", "Q1|Q2/1|2", `error: --row names the field "Q1" twice`},
		{"unpivot --row Q1", "Q1|Q2/1|2", `error: --row "Q1": it is written LABEL = FIELD, FIELD`},
		{"unpivot", "Q1|Q2/1|2", "error: unpivot lacks its operand"},
		{"unpivot a b", "a|b/1|2", `error: unpivot: "b" is one operand too many`},
		{"unpivot a --lable x", "a|b/1|2", "error: unpivot has no option --lable"},
		{"unpivot a --label x --label y", "a|b/1|2", "error: --label is given twice"},
		// explode
		{"explode a --at ;", "k|a|z/1|x; y ;;|p/2||q/3|;|r", "k|a|z/1|x|p/1|y|p/2||q/3||r"},
		{"explode a --at ; --exact", "k|a/1|x; y ;/2|", "k|a/1|x/1| y /1|/2|"},
		{"explode a --at ; --skip-blank", "k|a/1|x;y/2|/3| ; ", "k|a/1|x/1|y"},
		{"explode a --at ; --exact --skip-blank", "k|a/1|x;;y/2|/3|;", "k|a/1|x/1|y"},
		{"explode a --at ; --position n", "k|a/1|x;;y/2|/3|z", "k|a|n/1|x|1/1|y|2/2||/3|z|1"},
		{"explode a --at '; ' --also , --also '\\n'", "a/x; y,z\nw", "a/x/y/z/w"},
		{"explode a --at - --also --", "a/x--y-z", "a/x/y/z"},
		{"explode a,b --at ; --position n", "a|k|b/x;y|1|p;/|2|", "a|k|b|n/x|1|p|1/y|1||2/|2||"},
		{"explode a,b --at ;", "a|b/x;y|1;2/x;y|1;2;3", `error: line 3, field "b": "1;2;3" has 3 values, and "a" has 2`},
		{"explode a,b --at ; --uneven blank", "a|b/x;y;z|1;2/|1;2", "a|b/x|1/y|2/z|/|1/|2"},
		{"explode a,b --at ; --uneven repeat", "a|b/x;y;z|1;2/x|1;2", "a|b/x|1/y|2/z|2/x|1/x|2"},
		{"explode a,b --at ; --skip-blank", "a|b/x;;y|;;2/;|;", "a|b/x|/y|2"},
		{"explode a --json", "k|a/1|[\"x\", 1.50, null, true, {\"n\":[1]}, \" y \"]/2|/3|[]/4|null", "k|a/1|x/1|1.50/1|true/1|{\"n\":[1]}/1| y /2|/3|/4|"},
		{"explode a --json", "k|a/1|[\"x\"", `error: line 2, field "a": "["x"" is not JSON`},
		{"explode a --json", "k|a/1|{}/2|{\"x\":1} /3|null/4|", "k|a/1|{}/2|{\"x\":1} /3|/4|"},
		{"explode a --json", "k|a/1|7", "is JSON, but neither an array nor an object"},
		{"explode a --json --pick 'b=$.x|$.y, c=$.z[0]|$[\"a b\"]'", "k|a/1|{\"x\":1,\"y\":2}/2|[{\"y\":3,\"z\":[4]},{\"a b\":5}]/3|{\"x\":null,\"y\":6}", "k|b|c/1|1|/2|3|4/2||5/3||"},
		{"explode a --json loose --pick 'b=$.x'", "k|a/1|json [{\"x\":1}] and so on/2|`{\"x\":2}`/3|a {b} {\"x\":3}", "k|b/1|1/2|2/3|3"},
		{"explode a --json loose", "k|a/1|no such thing", "is not JSON"},
		{"explode a --json --pick 'b=$.x|y'", "k|a/1|{}", "does not begin with $"},
		{"explode a --json --at ;", "k|a/1|x;y/2|[1,2]", "k|a/1|x/1|y/2|1/2|2"},
		{"explode a,b --json --at ; --pick 'n=$.n, w=$.s[0]'", "a|b/[{\"n\":1,\"s\":[\"q\"]},{}]|x;y/[]|", "n|w|b/1|q|x/||y/||"},
		{"explode a --json --pick n=$.n --position p --skip-blank", "k|a/1|[{\"n\":1},{\"m\":2}]/2|[{}]/3|", "k|n|p/1|1|1/1||2"},
		{"explode a --json --pick n=$.n", "k|a/1|[1]", `holds "1", which is no object to pick from`},
		{"explode a --json --pick n=$.n,k=$.k", "k|a/1|[]", `error: two fields would be named "k"`},
		{"explode a --json --pick n", "k|a/1|[]", `error: --pick "n": it is written NAME = PATH`},
		{"explode a --json --pick n=m", "k|a/1|[]", "does not begin with $"},
		{"explode a", "a/1", "error: explode lacks --at"},
		{"explode a --at ''", "a/1", "error: --at: the separator is empty"},
		{"explode a --json --also ,", "a/1", "error: --also gives further separators"},
		{"explode a --at ; --pick n=$.n", "a/1", "error: --pick goes with --json"},
		{"explode a --at ; --position k", "a|k/1|2", `error: two fields would be named "k"`},
		{"explode a --at ; --uneven even", "a/1", `error: --uneven "even": it is one of error, blank, repeat`},
		// bundle
		{"bundle a --with ;", "k|a|z/1|x|p/2|y|q/1|z|p/1||p/2|w|r", "k|a|z/1|x;z|p/2|y|q/2|w|r"},
		{"bundle a,b --with ;", "a|b|k/x|1|p/|2|p/y||p", "a|b|k/x;;y|1;2;|p"},
		{"bundle a --with ; --distinct", "k|a/1|x/1|y/1|x", "k|a/1|x;y"},
		{"bundle a --json", "k|a/1|x \"y\"/1|026/2|/1|<b>", "k|a/1|[\"x \\\"y\\\"\",\"026\",\"<b>\"]/2|"},
		{"bundle a,b --json", "a|b/x|/|y", "a|b/[\"x\",null]|[null,\"y\"]"},
		{"bundle a --with ; --within k", "k|a|z/1|x|p/1|y|p", "k|a|z/1|x;y|p"},
		{"bundle a --with ; --within k", "k|a|z/1|x|p/1|y|q", `error: line 3, field "z": "q", and "p" in the row it would be bundled with (line 2)`},
		{"bundle a --with ; --within a", "k|a/1|x", `error: "a" is to be bundled, and --within looks at it`},
		{"bundle a", "a/1", "error: bundle lacks --with"},
		{"bundle a --with ; --json", "a/1", "error: --json and --with do not go together"},
		// transpose
		{"transpose", "k|x|y/a|1|2/b||3", "k|a|b/x|1|/y|2|3"},
		{"transpose --label z", "k|x/a|1", "z|a/x|1"},
		{"transpose", "k|x/a|1/a|2/|3/k|4", "k|a|a (2)|field 4|k (2)/x|1|2|3|4"},
		{"transpose", "k|x", "k/x"},
		{"transpose", "k/a/b", "k|a|b"},
		// stencil
		{"stencil 'a b'", "field 1|field 2|field 3|field 4/1|2|3|4/|6|7|", "a|b/1|2/3|4/|6/7|"},
		{"stencil 'a / b'", "field 1|field 2/1|2/3|4", "a|b/1|3/2|4"},
		{"stencil 'a . / . b' --side s --top t", "field 1|field 2|field 3|field 4|field 5/c|T|||U/S|1|-|2|/|.|3||4", "s|t|a|b/S|T|1|3/S|U|2|4"},
		{"stencil a --side s,r --top t --skip-blank", "field 1|field 2|field 3|field 4/||T|U/S|1|5|/|2||6/|3||", "s|r|t|a/S|1|T|5/S|2|U|6"},
		{"stencil 'a . / . .'", "field 1|field 2|field 3/1|x|2/3|y|4/5||6", "a/1/2/5/6"}, // the last . are missing
		{"stencil 'a / b'", "field 1/1/2/3", `error: line 4, field "field 1": the blocks are 2 rows high, and 1 row is left over at the end, where "3" stands`},
		{"stencil 'a b'", "field 1|field 2|field 3/1|2|3", `the blocks are 2 columns wide, and 1 column is left over at the end, where "3" stands`},
		{"stencil 'a b'", "field 1|field 2|field 3/1|2|", "a|b/1|2"},
		{"stencil 'a / b' --side s", "field 1|field 2/S|1/U|2", `error: line 3: two labels for one block: "S" and "U", lines 2 and 3`},
		{"stencil 'a / b' --side s", "field 1|field 2/S|1/S|2", "s|a|b/S|1|2"},
		{"stencil 'a / b c'", "field 1/1", "error: the shape \"a / b c\": row 2 has 2 cells, row 1 1"},
		{"stencil 'a a'", "field 1/1", "error: the shape \"a a\": the name \"a\" stands twice"},
		{"stencil 'a \"net kg\"'", "field 1|field 2/1|2", "a|net kg/1|2"},
		{"stencil '. .'", "field 1/1", "error: the shape \". .\" names no cell"},
		{"stencil 'a /'", "field 1/1", "error: the shape \"a /\": row 2 is empty"},
		{"stencil a --side a", "field 1/1", "error: the shape \"a\": the name \"a\" stands twice"},
		{"stencil a --side s,s", "field 1/1", `error: the name "s" is given twice`},
		{"stencil a --top t", "field 1/1", "error: line 1: the sheet has 1 row, and the labels take 1: there is no block"},
	})
}

// TestPromises: each step keeps what all steps promise, in some uses on the fields a, b, c.
func TestPromises(t *testing.T) {
	steptest.Promises(t, map[string][]string{
		"unpivot":   {"unpivot a,b", "unpivot a,b --skip-blank", "unpivot '{x}' --among a,b", "unpivot --row 'l = a, b' --value p,q"},
		"explode":   {"explode a --at v", "explode a,b --at 0 --uneven blank --position p", "explode b --at w --exact", "explode a --json --at v", "explode a --at v --also 1 --skip-blank"},
		"bundle":    {"bundle a --with ,", "bundle b,a --with ' '", "bundle a --json --within b,c --distinct"},
		"transpose": {"transpose", "transpose --label x"},
		"stencil":   {"stencil '. x'", "stencil 'x y' --skip-blank", "stencil x --side l"},
	})
}
