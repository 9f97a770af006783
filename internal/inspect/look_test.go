package inspect

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"revuelta/internal/format"
)

// findings looks at a text and gives "kind: step" for each finding, with the reading options behind the last.
func findings(t *testing.T, text string) []string {
	path := filepath.Join(t.TempDir(), "f.csv")
	require.NoError(t, os.WriteFile(path, []byte(text), 0o644))
	r, err := Look(path, format.ReadOptions{}, nil)
	require.NoError(t, err)
	var out []string
	for _, f := range r.Findings {
		step := f.Step
		if step == "" {
			step = "reading"
		}
		out = append(out, f.Kind+": "+step)
		assert.NotEmpty(t, f.Says)
		assert.NotContains(t, f.Command, "\n")
	}
	if len(r.Reading) > 0 {
		out = append(out, "read with "+strings.Join(r.Reading, " "))
	}
	return out
}

func TestFindings(t *testing.T) {
	for _, c := range []struct {
		text string
		want []string
	}{
		{"hive,Day 1,Day 2,Day 3\n1,2,3,4\n2,3,4,5\n", []string{"headers: unpivot 'Day {number}' --value Day"}},
		{"hive,1,2,3,4\n026,2,3,4,1\n007,3,4,5,2\n", []string{"headers: unpivot '{number:#}' --value value"}},
		{"hive,Q1,Q2,Q3,Q4\n026,2,3,4,1\n007,3,4,5,2\n", []string{"headers: unpivot Q1..Q4 --label quarter --value value"}},
		{"hive,2024-01,2024-02,2024-03\n026,2,3,4\n007,3,4,5\n", []string{"headers: unpivot '{month:/[0-9]{4}-[0-9]{2}/}' --value value"}},
		{"hive,Jan-24,Feb-24,Mar-24\n026,2,3,4\n007,3,4,5\n", []string{"headers: unpivot '{month}-{year:2}' --value value"}},
		{"hive,01/2024,02/2024,03/2024\n026,2,3,4\n007,3,4,5\n", []string{"headers: unpivot '{month}/{year:4}' --value value"}},
		{"hive,January,February,March\n026,2,3,4\n007,3,4,5\n", []string{"headers: unpivot '{month:January|February|March|April|May|June|July|August|September|October|November|December}' --value value"}},
		{"hive,Januar,Februar,März,April\n026,2,3,4,5\n007,3,4,5,6\n", nil},
		{"hive,kilos Jan,kilos Feb,jars Jan,jars Feb\n026,2,3,4,5\n007,3,4,5,6\n", []string{"headers: unpivot '{@:kilos|jars} {month}'"}},
		{"hive,target_Q1,actual_Q1,target_Q2,actual_Q2\n026,2,3,4,5\n007,3,4,5,6\n", []string{"headers: unpivot '{@:target|actual}_{quarter}'"}},
		{"hive,before round 1,after round 1,before round 2,after round 2\n026,2,3,4,5\n007,3,4,5,6\n", []string{"headers: unpivot '{@:before|after} round {round:#}'"}},
		{"hive,Vesk,Tamro,Ulmo\n026,2,3,4\n007,3,4,5\n", nil},
		{"hive,width,height,depth\n026,2,3,4\n007,3,4,5\n", nil},
		{"hive,date,kilos\n026,2024-05-02,3\n007,2024-05-03,4\n", nil},
		{"member,q1,q2,q3,q4,q5\nR-1,1,2,3,4,5\nR-2,2,3,4,5,1\n", []string{"headers: unpivot 'q{number:#}' --value q"}},
		{"member,hives,hives.1,hives.2\nR-1,1,2,3\nR-2,2,3,4\n", nil},
		{"member,bee 1 name,bee 1 age,bee 2 name,bee 2 age\nR-1,a,2,b,4\nR-2,c,3,d,5\n", []string{"headers: unpivot 'bee {bee:#} {@:name|age}'"}},
		// several values
		{"hive,forage\n1,clover;lime\n2,lime\n3,ivy;lime\n4,lime;clover;ivy\n", []string{"several values: explode forage --at ';'"}},
		{"hive,forage\n1,clover|lime\n2,lime\n3,ivy|lime\n4,lime|clover|ivy\n", []string{"several values: explode forage --at '|'"}},
		{"hive,forage\n1,clover / lime\n2,lime\n3,ivy / lime\n4,lime / clover / ivy\n", []string{"several values: explode forage --at /"}},
		{"hive,forage\n1,\"clover, lime\"\n2,lime\n3,\"ivy, lime\"\n4,\"lime, clover, ivy\"\n", []string{"several values: explode forage --at ,"}},
		{"hive,keeper\n1,\"Duarte, Ines\"\n2,\"Okafor, Tom\"\n3,\"Mori, Yuki\"\n", nil},
		{"hive,forage\n1,\"clover\nlime\"\n2,lime\n3,\"ivy\nlime\"\n4,\"lime\nclover\"\n", []string{`several values: explode forage --at '\n'`}},
		{"hive,note\n1,calm; sunny\n2,restless\n3,strong\n4,weak\n5,wet\n6,dry\n7,old\n8,new\n9,full\n", nil},
		// numbers
		{"hive,kilos\n1,\"1,5\"\n2,\"2,25\"\n3,\"10,0\"\n4,\"0,5\"\n", []string{"numbers: cast kilos number --decimal ,"}},
		{"hive,kilos\n1,\"1,500\"\n2,\"2,250\"\n3,\"10,000\"\n4,\"1,100\"\n", []string{"numbers: reading"}},
		{"hive,kilos\n1,\"1,234.50\"\n2,12.25\n3,\"10,000.00\"\n4,7\n", []string{"numbers: cast kilos number --thousands ,"}},
		{"hive,kilos\n1,1 234\n2,12 500\n3,999\n4,10 001\n", []string{"numbers: cast kilos number --thousands ' '"}},
		{"hive,price\n1,€ 12.50\n2,€ 7.00\n3,€ 3.25\n4,€ 1.00\n", []string{"numbers: cast price number --strip '€'"}},
		{"hive,price\n1,12.50€\n2,7.00€\n3,3.25€\n4,\n", []string{"numbers: cast price number --strip '€'"}},
		{"hive,share\n1,12%\n2,7%\n3,3.5%\n4,100%\n", []string{"numbers: reading"}},
		{"hive,price\n1,(12.50)\n2,7.00\n3,(3.25)\n4,1.00\n", []string{"numbers: cast price number --negative '(n)'"}},
		{"hive,kilos\n1,12\n2,~7\n3,3\n4,5\n5,6\n6,7\n7,8\n8,9\n9,10\n", []string{"several types: reading"}},
		{"hive,kilos\n1,12\n2,7\n3,-\n4,5\n", []string{"markers: reading", "read with --blank -"}},
		{"hive,kilos\n1,12\n2,7\n3,N/A\n4,5\n", []string{"markers: reading", "read with --blank N/A"}},
		{"hive,kilos\n1,12\n2,7\n3,999\n4,5\n", nil},
		{"hive,kilos\n1,12\n2,7\n3,?\n4,5\n", []string{"markers: reading", "read with --blank '?'"}},
		{"hive,kilos\n1,NULL\n2,7\n3,4\n4,NULL\n", []string{"markers: reading", "read with --blank NULL"}},
		// dates
		{"visit,date\n1,13.5.2024\n2,2.6.2024\n3,30.6.2024\n4,1.7.2024\n", []string{"dates: cast date date --from %d.%m.%Y"}},
		{"visit,date\n1,05/13/2024\n2,06/02/2024\n3,06/30/2024\n4,07/01/2024\n", []string{"dates: cast date date --from %m/%d/%Y"}},
		{"visit,date\n1,2024/05/13\n2,2024/06/02\n3,2024/06/30\n4,2024/07/01\n", []string{"dates: cast date date --from %Y/%m/%d"}},
		{"visit,date\n1,13 May 2024\n2,2 June 2024\n3,30 June 2024\n4,1 July 2024\n", []string{"dates: cast date date --from '%d %B %Y'"}},
		{"visit,date\n1,May 2024\n2,June 2024\n3,July 2024\n4,August 2024\n", nil},
		{"visit,date\n1,20240513\n2,20240602\n3,20240630\n4,20240701\n", []string{"dates: cast date date --from %Y%m%d"}},
		{"visit,date\n1,45425\n2,45445\n3,45473\n4,45474\n", nil},
		{"visit,at\n1,13.05.2024 14:30\n2,02.06.2024 09:00\n3,30.06.2024 10:15\n4,01.07.2024 08:00\n", []string{"dates: cast at datetime --from '%d.%m.%Y %H:%M'"}},
		{"visit,date\n1,13/05/24\n2,02/06/24\n3,30/06/24\n4,01/07/24\n", []string{"dates: cast date date --from %d/%m/%y"}},
		{"visit,date\n1,2024-05-13\n2,13.05.2024\n3,2024-06-30\n4,01.07.2024\n", []string{"dates: cast date date --from %Y-%m-%d --from %d.%m.%Y"}},
		// texts
		{"apiary,kilos\nVesk,1\nvesk,2\nVESK,3\nTamro,4\nVesk,5\nTamro,6\n", []string{"spellings: recode apiary 'vesk=Vesk,VESK=Vesk'"}},
		{"apiary,kilos\nVesk ,1\nVesk,2\n Tamro,3\nTamro,4\n", []string{"spaces: scrub apiary"}},
		{"apiary,kilos\nNorth  Meadow,1\nNorth Meadow,2\nMill,3\nMill,4\n", []string{"spaces: scrub apiary"}},
		{"apiary,kilos\nVesk\u00a0,1\nVesk,2\nTamro,3\nTamro,4\n", []string{"spaces: scrub apiary"}},
		{"tag,kilos\nVesk-026-blue,1\nTamro-007-white,2\nUlmo-011-red,3\nVesk-012-red,4\n", []string{"compound: split tag '{tag 1}-{tag 2:#}-{tag 3}'"}},
		{"span,kilos\n1-5,1\n6-10,2\n11-15,3\n16-20,4\n", nil},
		{"place,kilos\n\"Vesk (north)\",1\n\"Tamro (south)\",2\n\"Ulmo (east)\",3\n\"Mill (west)\",3\n", nil},
		{"hive,size\n1,10x20\n2,12x24\n3,8x16\n4,10x10\n", nil},
		// rows
		{"apiary,colony,kilos\nVesk,1,2\n,2,3\n,3,4\nTamro,4,5\n,5,6\n", []string{"blank runs: fill apiary"}},
		{"apiary,colony,kilos\nVesk,1,2\nTamro,,3\n,3,4\nTamro,4,5\nMill,5,6\n", nil},
		{"apiary,kilos\nVesk,2\nTamro,3\nTotal,5\n", []string{`total rows: where 'apiary != "Total"'`}},
		{"apiary,May,June,Sum\nVesk,2,1,3\nTamro,3,4,7\nMill,3,3,6\n", []string{"total fields: fields '!Sum'"}},
		{"visit,kilos\n1,2\n2,3\n2,3\n3,4\n", []string{"duplicate rows: distinct"}},
		{"visit,kilos\n1,2\n2,3\n2,5\n3,4\n4,4\n5,4\n6,6\n7,3\n8,1\n9,2\n10,4\n11,4\n", []string{"duplicate keys: reading"}},
		{"hive,trait,value\n1,mites,2\n1,brood,3\n2,mites,4\n2,brood,5\n", nil},
		{"hive,trait,value\n1,mites,2\n1,brood,3\n1,mites,4\n2,brood,5\n", nil},
		{"key,value\nname,Onkara\nhives,3\nname,Dovri\nhives,4\nname,Bryzel\nhives,6\n", []string{`names without a person: number person --when 'key == "name"'`}},
		{"Yield 2024\n\napiary,kilos\nVesk,1\nTamro,2\n", []string{"header: reading", "read with --header 3"}},
		{"apiary,kilos\nVesk,1\nTamro,2\n\n* weighed wet\n", []string{"foot: reading", "read with --foot auto"}},
		{",May,,June,\napiary,kilos,jars,kilos,jars\nVesk,1,2,3,4\nTamro,2,3,4,5\n", []string{"header rows: reading", "headers: unpivot '{month} / {@:kilos|jars}'", "read with --header 1-2"}},
		{"apiary;kilos\nVesk;1,5\nTamro;2,25\nMill;3,5\n", []string{"numbers: cast kilos number --decimal ,"}},
		{"hive,data\n1,\"{\"\"a\"\":1,\"\"b\"\":2}\"\n2,\"{\"\"a\"\":3}\"\n3,\"{\"\"a\"\":5,\"\"b\"\":1}\"\n", []string{"JSON: set 'a = pick(data, \"$.a\")'\nset 'b = pick(data, \"$.b\")'\nfields '!data'"}},
		{"hive,data\n1,\"[1,2]\"\n2,\"[3]\"\n3,\"[4,5,6]\"\n", []string{"JSON: explode data --json"}},
	} {
		assert.Equal(t, c.want, findings(t, c.text), c.text)
	}
}

// TestCommandsKeepTheOrder: a step with a --by of its own stands in an option, where the reading has one too.
func TestCommandsKeepTheOrder(t *testing.T) {
	for step, want := range map[string]string{"distinct": "revuelta run --step distinct --by row x", "fill a": "revuelta fill a --by row x", "fill a\nset b=1": "revuelta run --step 'fill a' --step 'set b=1' --by row x"} {
		r := &Report{Reading: []string{"--by", "row"}, Findings: []Finding{{Step: step}}}
		r.commands("x")
		assert.Equal(t, want, r.Findings[0].Command)
	}
}
