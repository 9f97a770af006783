package rowwise_test

import (
	"testing"

	"revuelta/internal/step/steptest"
)

// TestSteps: what each step makes of a table, rows parted by / and cells by |, and the errors it gives.
func TestSteps(t *testing.T) {
	steptest.Steps(t, []steptest.Case{
		// fields
		{"fields 'c,*,!a'", "a|b|c/1|2|3", "c|b/3|2"},
		{"fields ''", "a|b/1|2", "error: the selection is empty"},
		{"fields '!a,!b'", "a|b/1|2", "error: the selection !a,!b leaves no field"},
		// rename
		{"rename 'a=b,b=a'", "a|b/1|2", "b|a/1|2"},
		{"rename '#-1=x,\"a, b\"=\"c, d\"'", "a, b|z/1|2", "c, d|x/1|2"},
		{"rename '/^k/=kg'", "id|kilos/1|2", "id|kg/1|2"},
		{"rename 'a=x=y'", "a|b/1|2", "x=y|b/1|2"},
		{"rename '{m} {k}' --into '{k}-{m}'", "May kg|x/1|2", "kg-May|x/1|2"},
		{"rename --lower", "A B|ÑC/1|2", "a b|ñc/1|2"},
		{"rename --snake", "Net, kg (dry)| x /1|2", "net_kg_dry|x/1|2"},
		{"rename a=b", "a|b/1|2", `error: two fields would be named "b"`},
		{"rename '*=b'", "a|b/1|2", "error: * picks 2 fields where one is wanted: a, b"},
		{"rename x=b", "a|b/1|2", `error: there is no field "x"`},
		{"rename a", "a|b/1|2", `error: "a": a renaming is written old=new`},
		{"rename a=", "a|b/1|2", "error: \"a=\": the new name is empty"},
		{"rename '{m} kg' --into '{x}'", "May kg/1", "error: --into has the place {x}, which {m} kg has not"},
		{"rename '{m} kg' --into '{_}'", "May kg/1", "error: --into {_}: {_} can't be written out"},
		{"rename '{m} kg' --into '{m}'", "May/1", "error: the pattern {m} kg fits none"},
		{"rename --snake", "A B|a-b/1|2", `error: two fields would be named "a_b"`},
		{"rename 'a=x,#1=y'", "a|b/1|2", `error: "a" is renamed twice`},
		{"rename --lower --snake", "A/1", "error: --lower and --snake do not go together"},
		// where
		{"where 'a > 5'", "a|b/12|x/5.01|/5.0|y/|z", "a|b/12|x/5.01|"},
		{"where 'a > 5'", "a/12/x", `error: line 3, field "a": "x" is not a number`},
		{"where a", "a/1", "error: where \"a\": the formula gives a value"},
		{"where 'b > 1'", "a/1", `error: there is no field "b"`},
		// set
		{"set 'c = a + b'", "a|b/1|0.20/|1", "a|b|c/1|0.20|1.2/|1|"},
		{"set 'a = a * 2'", "a|b/1.50|x", "a|b/3|x"},
		{"set '\"a, b\" = 1'", "x/1", "x|a, b/1|1"},
		{"set 'ok = a >= 2'", "a/1/2", "a|ok/1|false/2|true"},
		{"set a,b --to 'it * 2'", "a|b|c/1|2|3", "a|b|c/2|4|3"},
		{"set 'a == 1'", "a/1", "error: set \"a == 1\": it is written NAME = FORMULA"},
		{"set 'c = a / b'", "a|b/1|0", "error: line 2: division by zero: 1 / 0"},
		{"set 'c = it'", "a/1", `error: there is no field "it"`},
		// cast
		{"cast n number --decimal , --thousands . --strip kg", "n/1.234,50 kg/-0,25/007//12/1.000.000", "n/1234.50/-0.25/7//12/1000000"},
		{"cast n number", "n/1e3/.5/+7/-0.0/1.50", "n/1000/0.5/7/0.0/1.50"},
		{"cast n number --thousands ,", "n/1,5", `error: line 2, field "n": "1,5" is not a number`},
		{"cast n number --decimal ,", "n/1.5", `error: line 2, field "n": "1.5" is not a number`},
		{"cast n number", "n/12,5 kg", "is not a number"},
		{"cast d date --from %d.%m.%Y --from %d-%m-%Y", "d/3.4.2024/03-04-2024/", "d/2024-04-03/2024-04-03/"},
		{"cast d date --from %d-%m-%Y --write '%b %Y'", "d/31-12-1999", "d/Dec 1999"},
		{"cast d date --from %d.%m.%Y", "d/30.02.2024", `error: line 2, field "d": "30.02.2024" is a day that does not exist`},
		{"cast d date --from %d.%m.%Y", "d/2024-02-03", "does not fit"},
		{"cast d date --from %d.%m.%Y --from %m.%d.%Y", "d/13.02.2024/02.02.2024", "d/2024-02-13/2024-02-02"},
		{"cast d date --from %d.%m.%Y --from %m.%d.%Y", "d/01.02.2024", "is read as 2024-02-01 by"},
		{"cast d date", "d/2024-05-02T14:30", "d/2024-05-02"},
		{"cast d datetime", "d/2024-05-02 14:30", "d/2024-05-02T14:30:00"},
		{"cast d time", "d/9:05/14:30:59", "d/09:05:00/14:30:59"},
		{"cast d day", "d/1", "error: cast … \"day\": it is one of"},
		{"cast d date --decimal ,", "d/1", "error: --decimal, --thousands, --strip, --negative and --scale go with number only"},
		{"cast n number --negative '(n)' --negative n- --scale 'k=1000,%=0.01'", "n/(12.50)/7-/\u22123/1.5k/(2k)/50%/1.10", "n/-12.50/-7/-3/1500/-2000/0.5/1.10"},
		{"cast n number --strip '€-'", "n/1", "error: --strip \"€-\" would take the sign off a number; --negative says how negative numbers are written"},
		{"cast n number --negative x", "n/1", "error: --negative \"x\": it is how a negative number is written"},
		{"cast n number --scale k", "n/1", "error: --scale \"k\": it is suffixes with what each multiplies by"},
		{"cast n number --unfit keep", "n/a//7/a b/007", "n/a//7/a b/7"},
		{"cast n number --unfit blank", "n/a//7/007", "n///7/7"},
		{"cast d date --from %d.%m.%Y --unfit blank", "d/30.02.2024/3.4.2024/x", "d//2024-04-03/"},
		{"cast n number --unfit drop", "n/1", "error: --unfit \"drop\": it is one of error, blank, keep"},
		{"cast d number --from %d", "d/1", "error: --from and --write go with"},
		{"cast d number --decimal . --thousands .", "d/1", "error: --decimal and --thousands are the same character"},
		// scrub
		{"scrub a", "a|b/  x \u00a0 y\u200b |  z / |/e\u0301|", "a|b/x y|  z /|/é|"},
		{"scrub a --case lowr", "a/1", "error: --case \"lowr\": it is one of lower, upper, title"},
		// recode
		{"recode a 1=x,2=", "a|b/1|1/2|2/01|/|", "a|b/x|1/|2/01|/|"},
		{"recode a '\"a, b\"=\"c=d\"'", "a/a, b", "a/c=d"},
		{"recode a 1=x --others blank", "a/1/2", "a/x/"},
		{"recode a 1=x --others error", "a/1/2", `error: line 3, field "a": "2" is none of the codes`},
		{"recode a 1=x,1=y", "a/1", `error: the code "1" is given twice`},
		{"recode a 1", "a/1", `error: "1": a code is written old=new`},
		// assert
		{"assert --unique a --filled b --rows 2 --fields b,a", "a|b/01|x/1|y", "a|b/01|x/1|y"},
		{"assert --unique a", "a|b/1|x/2|y/1|z", `error: line 4: assert failed: a second row with a "1"; the first is line 2`},
		{"assert --filled b", "a|b/1|x/2|", `error: line 3, field "b": assert failed: the cell is blank`},
		{"assert --that 'a > 1'", "a/2/1", `error: line 3: assert failed: a > 1 does not hold: a "1"`},
		{"assert --rows 3", "a/2/1", "error: assert failed: there are 2 rows, not 3"},
		{"assert --fields a", "a|b/1|2", "error: assert failed: there are other fields than a: b"},
		{"assert", "a/1", "error: assert asks for nothing"},
		// split
		{"split h '{a}-{n:#}'", "k|h|z/1|Up-Tamro-03|x/2||y", "k|a|n|z/1|Up-Tamro|03|x/2|||y"},
		{"split h '{h}{_}{n:2}' --keep", "h|z/abc|x", `error: two fields would be named "h"`},
		{"split '#1' '{a:1}{_:1}{n}' --keep", "h|z/abc|x", "h|a|n|z/abc|a|c|x"},
		{"split h '{h:1}{n}'", "h/abc", "h|n/a|bc"},
		{"split h '{a}-{b}'", "h/a-b/ab", `error: line 3, field "h": "ab" does not fit {a}-{b}`},
		{"split h '{a}-{b}' --unfit blank", "h|z/a-b|1/ab|2", "a|b|z/a|b|1/||2"},
		{"split h --at ; --into a,b", "h|z/ x ;y|1/;|2", "a|b|z/x|y|1/||2"},
		{"split h --at ; --into a,b --exact", "h/ x ;y", "a|b/ x |y"},
		{"split h --at ; --into a,b", "h/x;y;z", `error: line 2, field "h": "x;y;z" has 3 pieces, and there are names for 2`},
		{"split h --at ; --into a,b", "h/x", `"x" has 1 piece, and there are names for 2`},
		{"split h --at ; --into a,b --more last --fewer blank", "h/x;y; z /w", "a|b/x|y; z/w|"},
		{"split h --at ; --into a,b --more drop", "h/x;y;z", "a|b/x|y"},
		{"split h --at '\t' --into '\"a, b\",c'", "h/x\ty", "a, b|c/x|y"},
		{"split h --at :: --into a,b --unfit blank", "h/x::y/x", "a|b/x|y/|"},
		{"split h --at '' --into a", "h/x", "error: --at: the separator is empty"},
		{"split h --at ;", "h/x", "error: split --at lacks --into"},
		{"split h --at ; --into a,a", "h/x", `error: the name "a" is given twice`},
		{"split h --at ; --into a,,b", "h/x", `error: "a,,b": a name is empty`},
		{"split h ab", "h/x", `error: the pattern "ab" has no place`},
		{"split h '{@} {a}'", "h/x", "error: {@} stands for the measure"},
		{"split h '{a' ", "h/x", "error: the pattern {a can't be read"},
		{"split h '{a}' --more last", "h/x", "error: --more goes with --at"},
		{"split h", "h/x", "error: split lacks its operand"},
		{"split x '{a}'", "h/x", `error: there is no field "x"`},
		// combine
		{"combine '{b}-{a}' --as h", "a|b|c/1|2|3/|x|", "h|c/2-1|3/x-|"},
		{"combine '{b}-{a}' --as h", "a|c|b/1|2|3", "c|h/2|3-1"},
		{"combine '{c}{c}' --as c", "a|c|b/1|2|3", "a|c|b/1|22|3"},
		{"combine '{b}-{a}' --as h --keep", "a|b|c/1|2|3", "a|b|h|c/1|2|2-1|3"},
		{"combine b,a --with ', ' --as h", "a|b|c/1|2|3/|x|/||y", "h|c/2, 1|3/x|/|y"},
		{"combine * --with '\t' --as a", "a|b/1|2", "a/1\t2"},
		{"combine '{a}' --as b --keep", "a|b/1|2", `error: two fields would be named "b"`},
		{"combine '{a}'", "a|b/1|2", "error: combine lacks --as"},
		{"combine 'a,b' --as c", "a|b/1|2", `error: "a,b" is no pattern, and there is no --with`},
		{"combine '{x}' --as c", "a|b/1|2", `error: there is no field "x"`},
		{"combine '{_}{a}' --as c", "a|b/1|2", "error: {_} can't be written out"},
	})
}

// TestPromises: each step keeps what all steps promise, in some uses on the fields a, b, c.
func TestPromises(t *testing.T) {
	steptest.Promises(t, map[string][]string{
		"fields":  {"fields c,a", "fields '!b'"},
		"rename":  {"rename a=x", "rename --snake", "rename '{x:a|b}' --into '{x}{x}'"},
		"where":   {"where 'a != \"v0\" or blank(a)'", "where 'blank(b) or b == \"w0\"'"},
		"set":     {"set 'd = text(a, b)'", "set 'a = length(b)'", "set a,b --to 'it ?? \"-\"'"},
		"cast":    {"cast a,b text"},
		"scrub":   {"scrub a,b --case upper"},
		"recode":  {"recode a v0=x,v1=y", "recode a v0= --others blank"},
		"assert":  {"assert --rows 17 --fields a,b,c --that 'length(a) == 2 or blank(a)'"},
		"split":   {"split a 'v{n:#}' --unfit blank", "split b '{w:1}{n}' --keep", "split a --at v --into x,n --fewer blank --more drop"},
		"combine": {"combine '{a}-{b}' --as d", "combine b,a --with '' --as a", "combine a --with , --as d --keep"},
	})
}
