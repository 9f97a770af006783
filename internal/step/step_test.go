package step_test

import (
	"fmt"
	"os"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"revuelta/internal/calendar"
	"revuelta/internal/plan"
	"revuelta/internal/run"
	"revuelta/internal/step"
	"revuelta/internal/step/steptest"
	"revuelta/internal/table"
)

// made makes a step of a line of a plan.
func made(line string) (any, error) {
	before := ""
	if strings.HasPrefix(line, "stencil") {
		before = "read -\n"
	}
	statements, err := plan.Parse("test", before+line)
	if err != nil {
		return nil, err
	}
	p, err := plan.Build("test", statements)
	if err != nil {
		return nil, err
	}
	return p.Items[len(p.Items)-1].(*run.Apply).Step, nil
}

// parse makes a table of rows parted by /, cells by |; the first row names the fields.
func parse(text string) steptest.Table {
	rows := strings.Split(text, "/")
	t := steptest.Table{Names: strings.Split(rows[0], "|")}
	for _, r := range rows[1:] {
		t.Rows = append(t.Rows, strings.Split(r, "|"))
	}
	return t
}

func text(t steptest.Table) string {
	out := []string{strings.Join(t.Names, "|")}
	for _, r := range t.Rows {
		out = append(out, strings.Join(r, "|"))
	}
	return strings.Join(out, "/")
}

// odd are cells that must leave as they came.
var odd = []string{"026", "1.10", " x ", "2024-3-1", "a\nb", `"`, "", "ñ"}

// every is a use of each step on fields a, b, c; the cells of field c pass through untouched.
var every = map[string][]string{
	"unpivot":   {"unpivot a,b", "unpivot a,b --skip-blank", "unpivot '{x}' --among a,b", "unpivot --row 'l = a, b' --value p,q"},
	"fields":    {"fields c,a", "fields '!b'"},
	"rename":    {"rename a=x", "rename --snake", "rename '{x:a|b}' --into '{x}{x}'"},
	"where":     {"where 'a != \"v0\" or blank(a)'", "where 'blank(b) or b == \"w0\"'"},
	"set":       {"set 'd = text(a, b)'", "set 'a = length(b)'", "set a,b --to 'it ?? \"-\"'"},
	"cast":      {"cast a,b text"},
	"scrub":     {"scrub a,b --case upper"},
	"recode":    {"recode a v0=x,v1=y", "recode a v0= --others blank"},
	"assert":    {"assert --rows 17 --fields a,b,c --that 'length(a) == 2 or blank(a)'"},
	"pivot":     {"pivot --down c,b --across a --cell 'count()'", "pivot --across a --cell 'last(b)' --down c --totals field"},
	"group":     {"group --by c --calc 'count()' --calc 'distinct(a)' --calc 'join(b, \"+\")' --calc 'mode(a)'", "group --by c,a --calc 'max(b) as m' --each-row"},
	"split":     {"split a 'v{n:#}' --unfit blank", "split b '{w:1}{n}' --keep", "split a --at v --into x,n --fewer blank --more drop"},
	"combine":   {"combine '{a}-{b}' --as d", "combine b,a --with '' --as a", "combine a --with , --as d --keep"},
	"explode":   {"explode a --at v", "explode a,b --at 0 --uneven blank --position p", "explode b --at w --exact", "explode a --json --at v", "explode a --at v --also 1 --skip-blank"},
	"bundle":    {"bundle a --with ,", "bundle b,a --with ' '", "bundle a --json --within b,c --distinct"},
	"sort":      {"sort a", "sort 'b desc, a' --order natural", "sort c --order text", "sort 'a desc' --order number"},
	"distinct":  {"distinct", "distinct --by a,c"},
	"number":    {"number n", "number n --within a --every 2", "number n --cycle 3", "number n --when 'b == \"w0\"'", "number n --by 'b desc' --within a"},
	"beside":    {"beside a --as n", "beside a --as n --back 2 --within b", "beside b --as n --ahead 2 --by 'a desc' --else -"},
	"join":      {"join letters.csv --on a=k --partners first", "join letters.csv --on a=k --bring n --alone drop --partners each", "join letters.csv --on b=k --alone keep --partners first", "join letters.csv --when 'a == k' --partners first"},
	"append":    {"append more.csv", "append more.csv --source s"},
	"transpose": {"transpose", "transpose --label x"},
	"stencil":   {"stencil '. x'", "stencil 'x y' --skip-blank", "stencil x --side l"},
	"fill":      {"fill a,b", "fill a --within b", "fill a --up", "fill b --up --within a", "fill b --right", "fill a --with 0"},
}

func TestEveryStepKeepsItsPromises(t *testing.T) {
	in := steptest.Table{Names: []string{"a", "b", "c"}}
	for i := range 17 {
		row := []string{"", "", odd[i%len(odd)]}
		if i%3 == 0 {
			row[0] = fmt.Sprint("v", i/6)
		}
		if i%4 < 2 {
			row[1] = fmt.Sprint("w", i%2)
		}
		in.Rows = append(in.Rows, row)
	}
	t.Chdir(t.TempDir())
	require.NoError(t, os.WriteFile("letters.csv", []byte("k,n,z\nv0,1,x\nv1,2,y\nv1,3,z\nw0,4,\n"), 0o644))
	require.NoError(t, os.WriteFile("more.csv", []byte("q,c,b\n1,026,x\n"), 0o644))
	for _, name := range step.Names() {
		lines := every[name]
		require.NotEmpty(t, lines, "the step %s is not in this test", name)
		for _, line := range lines {
			t.Run(line, func(t *testing.T) {
				s, err := made(line)
				require.NoError(t, err)
				out := steptest.Check(t, s, in)
				c := slices.Index(out.Names, "c")
				var passed []string
				for _, r := range out.Rows {
					if name == "transpose" {
						if r[0] == "c" {
							passed = r[1:]
						}
						continue
					}
					passed = append(passed, r[c])
				}
				for _, cell := range odd {
					if !strings.Contains(line, "skip-blank") && !strings.Contains(line, "drop") && !strings.HasPrefix(line, "where") && name != "stencil" {
						assert.Contains(t, passed, cell)
					}
				}
				for _, cell := range passed {
					assert.Contains(t, odd, cell)
				}
			})
		}
	}
}

func TestSteps(t *testing.T) {
	t.Chdir(t.TempDir())
	for name, text := range map[string]string{
		"two.csv": "k,v,a\n1,x,p\n01,y,q\n2,z,r\n2,w,s\n,blank,t\n", "ranges.csv": "season,from,to\nspring,1,5\nsummer,5,9\nlate,7,x\n", "empty.csv": "k,v\n",
		"loose.csv": "k,v\n 007,x\nVESK,y\n",
	} {
		require.NoError(t, os.WriteFile(name, []byte(text), 0o644))
	}
	for _, c := range []struct{ line, in, want string }{
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
		{"unpivot '{@} {_}'", "kg May|kg June/1|2", `error: "kg May" and "kg June" both give`},
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
		// fill
		{"fill a", "a|b/|1/x|2/|3/y|/|", "a|b/|1/x|2/x|3/y|/y|"},
		{"fill a,b --within k", "k|a|b/n|x|/s||/n||p/s|y|/n||/s||", "k|a|b/n|x|/s||/n|x|p/s|y|/n|x|p/s|y|"},
		{"fill a --up --within k", "k|a/1|/2|/1|x/2|y/1|", "k|a/1|x/2|y/1|x/2|y/1|"},
		{"fill b,c --right", "a|b|c/1||/|2|/||", "a|b|c/1|1|1/|2|2/||"},
		{"fill a --with 0", "a|b/|1/x|", "a|b/0|1/x|"},
		{"fill a --right", "a|b/1|2", `error: "a" is the first field: it has no left neighbour`},
		{"fill a --with ''", "a|b/1|2", "error: --with '' would leave the cells blank"},
		{"fill a --up --with x", "a|b/1|2", "error: --up and --with do not go together"},
		{"fill a --within a", "a|b/1|2", `error: "a" is to be filled, and --within looks at it`},
		{"fill x", "a|b/1|2", `error: there is no field "x"`},
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
		{"cast d date --decimal ,", "d/1", "error: --decimal, --thousands and --strip go with number only"},
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
		// pivot
		{"pivot --across q --cell a", "k|q|a/1|x|7/1|y|8/2|y|9", "k|x|y/1|7|8/2||9"},
		{"pivot --down '' --across q --cell a", "k|q|a/1|x|7/1|y|8", "x|y/7|8"},
		{"pivot --down k --across q --cell a", "k|q|a/1|x|7/1|x|7", `two rows compete for "a" of one cell: "7" and "7", k "1", q "x"`},
		{"pivot --down k --across q --cell a", "k|q|a/1|x|7/1|x|/2||5", "k|x|no q/1|7|/2||5"},
		{"pivot --down k --across q,r --cell 'sum(a)'", "k|q|r|a/1|x|u|1/1|y|v|2/1|x|v|3", "k|x / u|y / v|x / v/1|1|2|3"},
		{"pivot --down k --across q,r --cell 'sum(a)' --name '{r} {q}'", "k|q|r|a/1|x|u|1/1|y|v|2/1|x|v|3/1|y|u|4", "k|u x|u y|v x|v y/1|1|4|3|2"},
		{"pivot --down k --across q --cell 'sum(a)' --cell 'count()'", "k|q|a/1|x|1/1|y|2", "k|x / a|x / count|y / a|y / count/1|1|1|2|1"},
		{"pivot --down k --across q --cell 'sum(a)' --order text --empty -", "k|q|a/1|b|1/1||2/2|a|3", "k|a|b|no q/1|-|1|2/2|3|-|-"},
		{"pivot --down k --across q --cell 'sum(a)' --order number", "k|q|a/1|10|1/1|9|2/1|x|3", "k|9|10|x/1|2|1|3"},
		{"pivot --down k --across q --cell 'sum(a)' --order natural", "k|q|a/1|d10|1/1|d9|2", "k|d9|d10/1|2|1"},
		{"pivot --down k --across q --cell 'sum(a)' --expect y,z,x --empty 0", "k|q|a/1|x|1/1|y|2", "k|y|z|x/1|2|0|1"},
		{"pivot --down k --across q --cell 'sum(a)' --expect y", "k|q|a/1|x|1/1|y|2", `error: line 2, field "q": "x" is not expected; expected are y`},
		{"pivot --down k --across q --cell 'sum(a)' --expect y --others drop --totals both", "k|q|a/1|x|1/1|y|2/2|x|5", "k|y|Total/1|2|2/2||/Total|2|2"},
		{"pivot --down k --across q --cell 'sum(a)' --expect y --others fold --totals row", "k|q|a/1|x|1/1|y|2/2|z|5/1|z|7", "k|y|others/1|2|8/2||5/Total|2|13"},
		{"pivot --down k --across q --cell a --expect y --others fold", "k|q|a/1|x|1/1|z|2", "two rows compete"},
		{"pivot --down k --across q --cell 'mean(a)' --totals field --totals-name all --decimals 2", "k|q|a/1|x|1/1|x|2/1|y|2", "k|x|y|all/1|1.5|2|1.67"},
		{"pivot --down k --across q --cell 'share(a)'", "k|q|a/1|x|1/2|x|3/1|y|5", "k|x|y/1|0.25|1/2|0.75|"},
		{"pivot --down k --across 'month(d)' --cell 'sum(a)' --name 'in {month}'", "k|d|a/1|2024-05-02|1/1|2024-05-30|2", "k|in 2024-05/1|3"},
		{"pivot --down 'year(d) as y' --across q --cell 'sum(a)'", "d|q|a/2024-05-02|x|1/2024-06-02|x|2", "y|x/2024|3"},
		{"pivot --down k --across q --cell 'sum(a)'", "k|q|a/1|x|1/1|y|x", `error: line 3, field "a": "x" is not a number`},
		{"pivot --down k --across 'month(d)' --cell 'sum(a)'", "k|d|a/1|x|1", `error: line 2, field "d": "x" is not a date`},
		{"pivot --down k --across q --cell 'sum(a)'", "k|q|a/1|k|1", `error: two fields would be named "k"`},
		{"pivot --down k --across q --cell 'sum(a)' --most-fields 1", "k|q|a/1|x|1/1|y|1", `error: this would make more than 1 fields; "q" alone has more than 1 values`},
		{"pivot --across q --cell 'smu(a)'", "q|a/1|2", "error: there is no calculation smu"},
		{"pivot --across q --cell a --totals row", "q|a/1|2", "error: --totals: a has no function"},
		{"pivot --across q --cell 'sum(a)' --totals row", "q|a/1|2", "error: a total row needs a field down the side"},
		{"pivot --across q --cell 'sum(a)' --name '{x}'", "q|a/1|2", "error: --name has the place {x}"},
		{"pivot --across q", "q|a/1|2", "error: pivot lacks --across or --cell"},
		{"pivot --down q --across q --cell a", "q|a/1|2", `error: "q" is both down and across`},
		// group
		{"group --by k --calc 'count()' --calc 'sum(a * 2) as d'", "k|a/1|1.50/2|/1|2", "k|count|d/1|2|7/2|1|"},
		{"group --calc 'count()' --calc 'sum(a)'", "a", "count|a/0|"},
		{"group --by k --calc 'sum(a)' --calc 'mean(a)' --calc 'p25(a)'", "k|a/1|1/1|2/1|4", "k|sum a|mean a|p25 a/1|7|2.3333333333333335|1.5"},
		{"group --by k --calc 'min(a)' --calc 'max(a) as z'", "k|a/1|010/1|9/1|9.0", "k|a|z/1|9|010"},
		{"group --by k --calc 'max(a)'", "k|a/1|2024-01-02/1|2023-12-31 10:00", "k|a/1|2024-01-02"},
		{"group --by k --calc 'max(a)'", "k|a/1|x/1|9", `error: max(a): the field mixes numbers and others, as "x" and "9"`},
		{"group --by k --calc 'max(text(a))'", "k|a/1|x/1|9", "k|text(a)/1|x"},
		{"group --by k --calc 'first(a)' --calc 'last(a) as l' --calc 'mode(a) as m' --calc 'distinct(a) as n'", "k|a/1|/1|x/1|y/1|y/1|", "k|a|l|m|n/1|x|y|y|2"},
		{"group --by k --calc 'var(a)' --calc 'stdev(a) as s' --calc 'median(a) as m'", "k|a/1|2/1|4/1|9/2|1", "k|a|s|m/1|13|3.605551275463989|4/2|||1"},
		{"group --by k --calc 'share(a)' --decimals 1", "k|a/1|1/2|2", "k|a/1|0.3/2|0.7"},
		{"group --by k --calc 'sum(a) as t' --each-row", "k|a/1|1/2|5/1|2", "k|a|t/1|1|3/2|5|5/1|2|3"},
		{"group --by k --calc 'sum(a) as k'", "k|a/1|1", `error: two fields would be named "k"`},
		{"group --by k", "k|a/1|1", "error: group lacks --calc"},
		// sort
		{"sort a", "a|b/10|1/9|2/|3/9.0|4/-1|5", "a|b/-1|5/9|2/9.0|4/10|1/|3"},
		{"sort 'a desc'", "a|b/10|1/9|2/|3/9.0|4/1e2|5", "a|b/1e2|5/10|1/9|2/9.0|4/|3"},
		{"sort a", "a/10/x/9/", "a/10/9/x/"},
		{"sort a --order number", "a/10/x/9//b", "a/9/10/b/x/"},
		{"sort a --order natural", "a/h10/h9/h09/H1/h/", "a/H1/h/h09/h9/h10/"},
		{"sort 'b,a desc'", "a|b/1|x/2|y/3|x", "a|b/3|x/1|x/2|y"},
		{"sort 'a desc,b'", "a|b/-1|x/-1.0|w/2|y", "a|b/2|y/-1.0|w/-1|x"},
		{"sort 'a desc'", "a desc|b/2|x/1|y", "a desc|b/1|y/2|x"}, // a name that ends so
		{"sort /^[ab]/", "b|a/1|x/1|w", "b|a/1|w/1|x"},
		{"sort a", "a|b/ab|1/a|2/a\x00|3", "a|b/a|2/a\x00|3/ab|1"},
		{"sort x", "a/1", `error: there is no field "x"`},
		{"sort 'a,a'", "a/1", `error: "a" is sorted by twice`},
		{"sort a --order dates", "a/1", `error: --order "dates": it is one of number, text, natural`},
		// distinct
		{"distinct", "a|b/1|x/01|x/1|x/1|y", "a|b/1|x/01|x/1|y"},
		{"distinct --by a", "a|b/1|x/01|x/1|x/1|y/|z/|w", "a|b/1|x/01|x/|z"},
		{"distinct --by a,b", "a|b/x|/|x/x|", "a|b/x|/|x"},
		{"distinct --by x", "a/1", `error: there is no field "x"`},
		// number
		{"number n", "a/x/y", "a|n/x|1/y|2"},
		{"number n --within a --every 2", "a/x/y/x/x", "a|n/x|1/y|1/x|1/x|2"},
		{"number n --cycle 2", "a/x/y/z", "a|n/x|1/y|2/z|1"},
		{"number n --when 'a == \"s\"' --within b", "a|b/x|1/s|1/x|1/s|2/s|1", "a|b|n/x|1|/s|1|1/x|1|1/s|2|1/s|1|2"},
		{"number n --by 'a desc'", "a/2/10/1/10", "a|n/2|3/10|1/1|4/10|2"},
		{"number n --by a --within b --every 2", "a|b/3|x/2|x/1|x/9|y", "a|b|n/3|x|2/2|x|1/1|x|1/9|y|1"},
		{"number a", "a/x", `error: two fields would be named "a"`},
		{"number n --every 0", "a/x", `error: --every "0": it is a number from 1 up`},
		{"number n --every 2 --cycle 2", "a/x", "error: --every and --cycle do not go together"},
		{"number n --when a", "a/x", "error: --when \"a\": the formula gives a value"},
		{"number n --when 'a > 1'", "a/2/x", `error: line 3, field "a": "x" is not a number`},
		// beside
		{"beside a --as n", "a/1/2/3", "a|n/1|2/2|3/3|"},
		{"beside a --as n --back 1 --else -", "a/1/2/3", "a|n/1|-/2|1/3|2"},
		{"beside a --as n --ahead 2 --within b", "a|b/1|x/2|x/3|y/4|x", "a|b|n/1|x|4/2|x|/3|y|/4|x|"},
		{"beside a --as n --by 'a desc'", "a/10/9/11", "a|n/10|9/9|/11|10"},
		{"beside a --as a", "a/1", `error: two fields would be named "a"`},
		{"beside a", "a/1", "error: beside lacks --as"},
		{"beside a --as n --ahead x", "a/1", `error: --ahead "x": it is a number from 1 up`},
		{"beside a --as n --ahead 1 --back 1", "a/1", "error: --ahead and --back do not go together"},
		// join
		{"join two.csv --on a=k", "a|b/1|p/01|q/3|r/|s", "a|b|v|a (2)/1|p|x|p/01|q|y|q/3|r||/|s||"},
		{"join two.csv --on k --bring v --alone drop", "k|b/1|p/3|r", "k|b|v/1|p|x"},
		{"join two.csv --on k", "k|b/1|p/2|r", `error: line 3, field "k": "2" has 2 partners in two.csv`},
		{"join two.csv --on k --bring v --partners each", "k|b/1|p/2|r/1|q", "k|b|v/1|p|x/2|r|z/2|r|w/1|q|x"},
		{"join two.csv --on k --bring v --partners first", "k|b/2|r", "k|b|v/2|r|z"},
		{"join two.csv --on k,a --bring v", "k|a/2|s/2|p", "k|a|v/2|s|w/2|p|"},
		{"join two.csv --on k --bring v --when 'v == b'", "k|b/2|w/1|y", "k|b|v/2|w|w/1|y|"},
		{"join two.csv --on k --alone error", "k/3", `error: line 2, field "k": "3" has no partner in two.csv`},
		{"join ranges.csv --when 'day >= from and day < to' --bring season", "day/1/5/4.5/9", "day|season/1|spring/5|summer/4.5|spring/9|late"},
		{"join ranges.csv --when 'day >= from + 0 and day < to + 0' --bring season", "day/8", `error: line 2: field "to" of ranges.csv: "x" is not a number`},
		{"join ranges.csv --when 'day >= from and from != 7 and day < to' --bring season", "day/1/5/4.5/0", "day|season/1|spring/5|summer/4.5|spring/0|"},
		{"join two.csv --on k --when 'a > 1'", "k|a/1|1", `error: --when: both tables have a field "a"`},
		{"join two.csv --on k=x", "k/1", `error: two.csv: there is no field "x"`},
		{"join two.csv --on x=k", "k/1", `error: there is no field "x"`},
		{"join two.csv", "k/1", "error: join lacks --on"},
		{"join none.csv --on k", "k/1", "error: none.csv: there is no such file"},
		{"join @there --on k", "k/1", "error: nothing was marked @there above"},
		{"join empty.csv --on k --alone keep", "k|v/1|x", "k|v|v (2)/1|x|"},
		// append
		{"append two.csv", "v|k/x|1", "v|k|a/x|1|/x|1|p/y|01|q/z|2|r/w|2|s/blank||t"},
		{"append empty.csv", "b|k/x|1", "b|k|v/x|1|"},
		{"append empty.csv", "c|b/x|1", "error: the tables have no field in common"},
		{"append two.csv --source v", "v|k/x|1", `error: two fields would be named "v"`},
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
		{"explode a --json", "k|a/1|{}", "is no JSON array"},
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
	} {
		got := ""
		s, err := made(c.line)
		if err == nil {
			var out steptest.Table
			var tally step.Tally
			out, tally, err = steptest.Run(s, parse(c.in), 2, steptest.Plain)
			got = text(out)
			if err == nil {
				assert.Equal(t, tally.Out, tally.In+tally.Made-tally.Merged-tally.LeftOut, "the books of %s", c.line)
				assert.Equal(t, tally.FilledIn, tally.FilledOut, "the cells of %s", c.line)
			}
		}
		if err != nil {
			got = "error: " + strings.TrimPrefix(strings.TrimPrefix(err.Error(), "test line 1: "), "test line 2: ")
		}
		if strings.HasPrefix(got, "error: ") {
			assert.Contains(t, got, c.want, c.line)
		} else {
			assert.Equal(t, c.want, got, c.line)
		}
	}
}

func TestFillUpSingleField(t *testing.T) {
	s, err := made("fill a --up")
	require.NoError(t, err)
	in := steptest.Table{Names: []string{"a"}, Rows: [][]string{{""}, {"x"}, {""}, {""}, {"y"}, {""}}}
	out, tally, err := steptest.Run(s, in, 2, steptest.Plain)
	require.NoError(t, err)
	assert.Equal(t, [][]string{{"x"}, {"x"}, {"y"}, {"y"}, {"y"}, {""}}, out.Rows)
	assert.EqualValues(t, 3, tally.Count[0])
	assert.EqualValues(t, 1, tally.Count[1])
}

func TestUnpivotTells(t *testing.T) {
	for _, c := range []struct {
		line, in string
		notes    []string
		tell     string
	}{
		{"unpivot Jan,Feb --label month", "id|Jan|Feb/1|2|3", nil, "2 fields folded: 1 row x 2 months"},
		{"unpivot 'Day *' --label day --skip-blank", "id|Day 1|Day 2/1|2|/2||", nil, "2 fields folded: 2 rows x 2 days; 3 blank cells left out, 1 row went out whole"},
		{"unpivot '{q} {@:target|actual}'", "id|Q1 target|Q1 actual|Q3 actual/1|2|3|4", []string{"no header for Q3 target: blank there"}, "3 fields folded: 1 row x 2 qs, 2 measures"},
		{"unpivot 'Day 1..Day 2'", "id|Day 1|Day 2|Day 3/1|2|3|4", []string{"kept, though named like the folded fields: Day 3"}, "2 fields folded: 1 row x 2 labels"},
		{"unpivot Jan..Nov", "Jan|Nov|Dec|note/1|2|3|4", []string{"kept, though named like the folded fields: Dec"}, "2 fields folded: 1 row x 2 labels"},
		{"unpivot '{a} {b}' --value v", "x 1|x 2/1|2", nil, "2 fields folded: 1 row x 2 combinations of a, b"},
	} {
		s, err := made(c.line)
		require.NoError(t, err)
		in := parse(c.in)
		bound, err := s.(step.Mapper).Bind(schemaOf(in))
		require.NoError(t, err)
		assert.Equal(t, c.notes, bound.Notes, c.line)
		_, tally, err := steptest.Run(s, in, 10, steptest.Plain)
		require.NoError(t, err)
		assert.Equal(t, c.tell, bound.Tell(&tally), c.line)
	}
}

func TestLinesFollowTheRows(t *testing.T) {
	s, err := made("unpivot a,b --skip-blank")
	require.NoError(t, err)
	out, _, err := steptest.Run(s, parse("a|b/1|2/|/|3"), 2, steptest.Plain)
	require.NoError(t, err)
	assert.Equal(t, []int{2, 2, 4}, out.Lines)
	again, _, err := steptest.Run(must(t, "unpivot label,value --label l --value v"), steptest.Table{Names: out.Names, Rows: out.Rows}, 2, steptest.Plain)
	require.NoError(t, err)
	assert.Equal(t, []int{2, 2, 3, 3, 4, 4}, again.Lines)
}

func must(t *testing.T, line string) any {
	s, err := made(line)
	require.NoError(t, err)
	return s
}

// TestUnpivotLosesNothing: every cell of the folded fields comes out once, under its header.
func TestUnpivotLosesNothing(t *testing.T) {
	rapid.Check(t, func(rt *rapid.T) {
		kept, wide := rapid.IntRange(0, 3).Draw(rt, "kept"), rapid.IntRange(1, 5).Draw(rt, "wide")
		in := steptest.Table{}
		for i := range kept {
			in.Names = append(in.Names, fmt.Sprint("k", i))
		}
		for i := range wide {
			in.Names = append(in.Names, fmt.Sprint("w", i))
		}
		for range rapid.IntRange(0, 9).Draw(rt, "rows") {
			in.Rows = append(in.Rows, rapid.SliceOfN(rapid.StringN(0, 3, -1), kept+wide, kept+wide).Draw(rt, "row"))
		}
		s, err := made("unpivot /^w/")
		require.NoError(rt, err)
		out, _, err := steptest.Run(s, in, rapid.IntRange(1, 4).Draw(rt, "size"), steptest.Plain)
		require.NoError(rt, err)
		require.Len(rt, out.Rows, wide*len(in.Rows))
		for i, row := range out.Rows {
			from := in.Rows[i/wide]
			require.Equal(rt, from[:kept:kept], row[:kept:kept])
			require.Equal(rt, []string{fmt.Sprint("w", i%wide), from[kept+i%wide]}, row[kept:])
		}
	})
}

func schemaOf(t steptest.Table) *table.Schema { return table.NewSchema(t.Names) }

// TestUnpivotAndPivotAreInverse: through one pattern the table comes back, where
// the kept fields tell the rows apart and no cell is blank.
func TestUnpivotAndPivotAreInverse(t *testing.T) {
	rapid.Check(t, func(rt *rapid.T) {
		months, measures := rapid.IntRange(1, 4).Draw(rt, "months"), rapid.IntRange(2, 3).Draw(rt, "measures")
		in := steptest.Table{Names: []string{"id"}}
		for m := range months {
			for k := range measures {
				in.Names = append(in.Names, fmt.Sprintf("m%d k%d", m, k))
			}
		}
		cell := rapid.StringMatching(`[0-9a-z ,."]{1,4}`)
		for r := range rapid.IntRange(1, 6).Draw(rt, "rows") {
			in.Rows = append(in.Rows, append([]string{fmt.Sprint(r)}, rapid.SliceOfN(cell, months*measures, months*measures).Draw(rt, "row")...))
		}
		long, _, err := steptest.Run(must(t, "unpivot '{month} {@}' --among '!id'"), in, 3, steptest.Plain)
		require.NoError(rt, err)
		line := "pivot --down id --across month --name '{month} {@}'"
		for k := range measures {
			line += fmt.Sprintf(" --cell k%d", k)
		}
		back, _, err := steptest.Run(must(t, line), steptest.Table{Names: long.Names, Rows: long.Rows}, 2, steptest.Coded)
		require.NoError(rt, err)
		require.Equal(rt, in.Names, back.Names)
		require.Equal(rt, in.Rows, back.Rows)
	})
}

// TestTotalsCoverTheRows: totals equal the calculation over all rows.
func TestTotalsCoverTheRows(t *testing.T) {
	for _, f := range []string{"sum(v)", "mean(v)", "median(v)", "max(v)", "stdev(v)", "distinct(v)", "mode(v)", "first(v)", "p90(v)", "count(v)", "join(v, \"+\")", "var(v * 2)"} {
		rapid.Check(t, func(rt *rapid.T) {
			in := steptest.Table{Names: []string{"k", "q", "v"}}
			for range rapid.IntRange(1, 12).Draw(rt, "rows") {
				in.Rows = append(in.Rows, []string{
					rapid.SampledFrom([]string{"a", "b", ""}).Draw(rt, "k"), rapid.SampledFrom([]string{"x", "y"}).Draw(rt, "q"),
					rapid.SampledFrom([]string{"", "1", "2.50", "-0.25", "1e3", "7"}).Draw(rt, "v")})
			}
			wide, _, err := steptest.Run(must(t, "pivot --down k --across q --totals both --cell '"+f+" as c'"), in, 4, steptest.Plain)
			require.NoError(rt, err)
			all, _, err := steptest.Run(must(t, "group --calc '"+f+"'"), in, 3, steptest.Plain)
			require.NoError(rt, err)
			byRow, _, err := steptest.Run(must(t, "group --by k --calc '"+f+" as c'"), in, 2, steptest.Runs)
			require.NoError(rt, err)
			last := wide.Rows[len(wide.Rows)-1]
			require.Equal(rt, all.Rows[0][0], last[len(last)-1], f)
			for i, row := range byRow.Rows {
				require.Equal(rt, row[1], wide.Rows[i][len(last)-1], f)
			}
		})
	}
}

// FuzzCastDate: what a form reads, it writes back but for case and leading zeros, and no day comes out that was not meant.
func FuzzCastDate(f *testing.F) {
	f.Add("3/4/2024", "%d/%m/%Y")
	f.Add("31 Feb 2024", "%d %b %Y")
	f.Add("2024-366", "%Y-%j")
	f.Fuzz(func(t *testing.T, cell, form string) {
		if strings.ContainsAny(form+cell, "'\"\n\r\\\x00") || !strings.Contains(form, "%") || cell == "" || len(form) > 30 {
			return
		}
		s, err := made("cast d date --from '" + form + "'")
		if err != nil {
			return
		}
		out, _, err := steptest.Run(s, steptest.Table{Names: []string{"d"}, Rows: [][]string{{cell}}}, 1, steptest.Plain)
		if err != nil {
			return
		}
		_, ok := calendar.Parse(out.Rows[0][0])
		year := strings.SplitN(out.Rows[0][0], "-", 2)[0]
		require.True(t, ok || len(year) != 4, "%q by %q became %q", cell, form, out.Rows[0][0])
	})
}
