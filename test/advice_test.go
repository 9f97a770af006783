package test

import (
	"encoding/json"
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// TestAdvice: what look says of files that were misread before, and what it does not propose: each line is the part, the kind, and
// the step or the command proposed.
func TestAdvice(t *testing.T) {
	t.Chdir(t.TempDir())
	rows := func(head, row string, cells ...string) string { // a row for each cell, in which # is its number
		var b strings.Builder
		b.WriteString(head + "\n")
		for i, c := range cells {
			b.WriteString(strings.NewReplacer("#", string(rune('a'+i)), "@", c).Replace(row) + "\n")
		}
		return b.String()
	}
	for name, c := range map[string]struct {
		text string
		want []string
	}{
		// signs and sizes
		"signs behind":       {rows("lot,kilos", "L-#,@", "5-", "3", "7.5", "2-", "1"), []string{"safe numbers: cast kilos number --negative n-"}},
		"true minus signs":   {rows("lot,kilos", "L-#,@", "−5", "3", "7.5", "−2", "1"), []string{"safe numbers: cast kilos number"}},
		"brackets":           {rows("lot,price", "L-#,@", "(45.85)", "3.00", "7.50", "2.25", "1.00"), []string{"safe numbers: cast price number --negative '(n)'"}},
		"brackets alone":     {rows("lot,place", "L-#,@", "(1)", "(2)", "(3)", "(4)"), []string{"told numbers: "}},
		"credit":             {rows("lot,price", "L-#,@", "10.00 CR", "3.00", "7.50", "2.25", "1.00"), []string{"safe numbers: cast price number --negative 'n CR'"}},
		"suffixes that size": {rows("lot,price", "L-#,@", "1.5k", "900", "2k", "750"), []string{"decide numbers: cast price number --scale 'k=1000'"}},
		"two units":          {rows("lot,weight", "L-#,@", "12 g", "3 kg", "4 kg", "5 kg", "7 kg", "8 kg"), []string{"told numbers: "}},
		"letters that check": {rows("lot,number", "L-#,@", "12345678Z", "87654321X", "11223344A", "44332211B"), nil},
		"versions":           {rows("lot,version", "L-#,@", "18.04 LTS", "18.10", "20.04 LTS", "20.10"), []string{"told numbers: "}},
		"codes of makers":    {rows("maker,kilos", "@,1.5", "R-1", "R-2", "R-3", "R-4"), nil},
		"telephones":         {rows("lot,telephone", "L-#,@", "555 123 456", "555 321 654", "555 000 111"), nil},
		"three decimals":     {rows("lot,kilos", "L-#,\"@\"", "3,178", "2,250", "1,100"), []string{"told numbers: "}},
		"a percent":          {rows("lot,share", "L-#,@", "12%", "0.5", "7%", "30%"), []string{"told numbers: "}},
		// dates
		"months first":        {rows("lot,date", "L-#,@", "4/13/2024", "10/9/2024", "5/30/2024"), []string{"safe dates: cast date date --from %m/%d/%Y"}},
		"either way":          {rows("lot,date", "L-#,@", "4/1/2024", "10/9/2024", "5/3/2024"), []string{"told dates: "}},
		"as the field beside": {"lot,made,sold\n1,2009-01-03,03/01/09\n2,2009-02-05,06/02/09\n3,2009-05-01,02/05/09\n", []string{"decide dates: cast sold date --from %d/%m/%y"}},
		"month names":         {rows("lot,date", "L-#,@", "Jan 1 2000", "Feb 12 2000", "Mar 3 2001"), []string{"safe dates: cast date date --from '%b %d %Y'"}},
		"twelve hours":        {rows("lot,at", "L-#,@", "01/15/2023 08:00 AM", "01/16/2023 03:30 PM", "02/01/2023 12:00 PM"), []string{"safe dates: cast at datetime --from '%m/%d/%Y %I:%M %p'"}},
		"two forms":           {rows("lot,date", "L-#,@", "13.05.2024", "2024-05-02", "30.06.2024"), []string{"safe dates: cast date date --from %d.%m.%Y --from %Y-%m-%d"}},
		// meanings
		"a country":                         {rows("lot,country,kilos", "L-#,@", "NA,1", "DE,2", "FR,NA", "ES,3", "NA,4"), []string{"told markers: "}},
		"a marker":                          {rows("lot,kilos", "L-#,@", "1.5", "NA", "2", "7"), []string{"safe markers: revuelta convert --blank NA FILE"}},
		"far numbers":                       {rows("lot,degrees", "L-#,@", "12", "14.5", "-9999", "13", "15", "11", "-9999", "12", "10", "16"), []string{"told markers: "}},
		"two counties":                      {"state,county,kilos\n" + strings.Repeat("Ulm,Isabella,1\nVes,Isabela,2\nUlm,Isabella,3\nUlm,Orran,4\nUlm,Isabella,5\nUlm,Isabella,7\n", 2), nil},
		"not a total":                       {rows("name,kilos", "@,1", "Total Recall", "Alder", "Vesk", "Total precipitation"), nil},
		"a total that adds up":              {"apiary,May,June,Total\nVesk,1,2,3\nTamro,2,3,5\nUlmo,4,5,9\n", []string{"safe total fields: fields '!Total'"}},
		"a measure of its own":              {"product,Total units sold\njar,3\nlid,5\nbox,7\n", nil},
		"names and scores":                  {"match,home_team,home_score,away_team,away_score\n1,Vesk,3,Ulmo,1\n2,Tamro,0,Vesk,2\n", []string{"decide headers: unpivot '{label}_{@:team|score}'"}},
		"entered twice":                     {"lot,apiary,kilos\nL-1,Vesk,1\nL-2,Tamro,2\nL-2,Tamro,2\nL-3,Ulmo,3\nL-4,Vesk,4\n", []string{"decide duplicate rows: distinct"}},
		"signs are letters":                 {rows("lot,degrees", "L-#,@", " -92", " 92", " 92", " 92", " -92", " 5", " 5", " 5"), []string{"safe spaces: scrub degrees"}},
		"members with names":                {"lot,data\n1,\"{\"\"a\"\":1,\"\"b c\"\":2}\"\n2,\"{\"\"a\"\":3}\"\n", []string{`safe JSON: set 'a = pick(data, "$.a")'`}},
		"lists of those":                    {"lot,data\n1,\"[{\"\"a\"\":1,\"\"b c\"\":2}]\"\n2,\"[{\"\"a\"\":3}]\"\n", []string{"decide JSON: explode data --json --pick 'a=$.a'"}},
		"answers alike":                     {"q1,q2\n" + strings.Repeat("yes,no\nno,no\nyes,yes\n", 5), nil},
		"lists among texts":                 {rows("lot,forage", "L-#,\"@\"", `[""clover"",""lime""]`, "heather;ivy", `[""lime""]`, "clover", `[""ivy""]`, "lime", "thyme", "heath"), []string{"decide JSON: explode forage --json --at ';'"}},
		"garbled letters":                   {rows("lot,keeper", "L-#,@", "JosÃ©", "Onkara", "Bryzel", "Zoâ€™e"), []string{"told garbled: "}},
		"Portuguese":                        {rows("lot,keeper", "L-#,@", "São", "MÃE", "Ânia", "PÃO DE Ã"), nil},
		"a row of units":                    {"lot,kilos,degrees,note\n,kg,°C,\nL-1,2,20,a\nL-2,3,21,b\nL-3,4,19,c\n", []string{"safe units row: revuelta convert --header 1-2 FILE"}},
		"units in brackets":                 {"Scales of May,,\nlot,kilos,wind\n-,(kg),(m/s)\nL-1,2,20\nL-2,3,21\nL-3,4,19\n", []string{"safe units row: revuelta convert --header 2-3 FILE"}},
		"parts and measures":                {"flower,bud length,bud width,leaf length,leaf width\na,5.1,1.2,4.4,1\nb,4.9,1.3,4.1,1.1\nc,5.0,1.1,4,1.2\n", []string{"decide headers: unpivot '{label} {@:length|width}'"}},
		"measures and states":               {"hive,kilos low,kilos high,degrees low,degrees high\na,0.1,0.2,900,910\nb,0.2,0.3,905,911\n", []string{"decide headers: unpivot '{@:kilos|degrees} {label}'"}},
		"side by side":                      {"lot,x1,y1,x2,y2,x3,y3\na,1,2,3,4,5,6\nb,3,4,5,6,7,8\n", []string{"decide headers: unpivot '{@:x|y}{number:#}'"}},
		"words as fields":                   {"MARCH,MAY,JAN,JANUARY,HIVE\na,b,c,d,e\nb,c,d,e,f\n", nil},
		"a header without rows":             {"1,2,3,4\n", nil},
		"data like all others":              {"7,208\n6,181\n7,223\n8,140\n6,250\n", []string{"safe reading: revuelta convert --header none FILE"}},
		"names at the end":                  {"lot,mail,kilos\nL-1,a@hive,1\nL-2,b@hive,2\n,,\nL-3,,\n", nil},
		"a note at the end":                 {"lot,mail,kilos\nL-1,a@hive,1\nL-2,b@hive,2\n,,\nas weighed in May,,\n", []string{"safe foot: revuelta convert --foot auto FILE"}},
		"prose":                             {"lot,text\n1,\"" + strings.Repeat("It rained.  The bees stayed in. ", 5) + "end\"\n2,b\n", nil},
		"an object of objects":              {`{"a":{"kilos":1,"jars":2},"b":{"kilos":2,"jars":3},"c":{"kilos":3,"jars":4},"d":{"kilos":3,"jars":4},"e":{"kilos":3,"jars":4}}`, []string{"safe JSON: unpivot '*'\nexplode value --json --pick 'jars=$.jars, kilos=$.kilos'"}},
		"blank by nature":                   {"code,short,name\n" + strings.Repeat("1,A#,one\n", 1) + "2,B,two\n3,C,three\n4,D,four\n5,,Reserved\n6,,Reserved\n7,,Missing\n8,,Local\n", nil},
		"blank under labels":                {"apiary,colony,kilos\nVesk,a,1\n,b,2\nTamro,c,3\n,d,4\n,e,4\n", []string{"safe blank runs: fill apiary"}},
		"totals that add up":                {"apiary,colony,kilos\nVesk,a,1\nVesk,b,2\nTotal Vesk,,3\nTamro,c,3\nTamro,d,4\nTotal Tamro,,7\n", []string{"decide total rows: where 'not fits(apiary, \"Total {_}\")'"}},
		"totals that do not":                {"apiary,colony,kilos\nVesk,a,1\nVesk,b,2\nTotal Vesk,,4\nTamro,c,3\nTamro,d,4\n", []string{"told total rows: "}},
		"a sum by chance":                   {"lot,n1,n2,n3\nL-1,1,2,3\nL-2,2,3,5\nL-3,4,4,8\nL-4,2,4,6\nL-5,4,1,5\nL-6,2,2,4\nL-7,3,3,6\n", []string{"decide headers: unpivot 'n{number:#}' --value n", "told total fields: "}},
		"units are no spelling":             {rows("lot,unit", "L-#,@", "kg/(m^2)", "kg/m^2", "kg/(m^2)", "W m-2", "W m2", "W m-2", "kg/(m^2)", "W m-2"), nil},
		"clock columns":                     {"id,0:8,0:9,0:10,0:11,0:12\n1,1,2,3,4,5\n2,3,4,5,6,7\n", nil},
		"quoted names":                      {"\"apiary\" kilos\n\"Vesk Hill\" 2.5\n\"Tamro\" 3\n\"Ulmo\" 4.5\n", []string{"safe reading: revuelta convert --delimiter spaces FILE"}},
		"names of rows":                     {"kilos jars wax\nVesk   \t1.5\t3\t2\nTamro  \t2.5\t4\t1\nUlmo   \t2.0\t4\t1\n", []string{"safe reading: revuelta convert --delimiter spaces --header-first row FILE"}},
		"names without words":               {"\"\",\"\",\"kilos\"\n\"1\",2,3,4.5\n\"2\",3,4,5.5\n", []string{"safe reading: revuelta convert --header-first row --header 1 FILE"}},
		"comments among rows":               {"lot,kilos,jars\n# by hand\nL-1,2,3\n# by scale\nL-2,3,4\n", []string{"safe reading: revuelta convert --comment '#' FILE"}},
		"comments and escapes":              {"# by hand\nlot,note\n# by scale\nL-1,the \\\"old\\\" scale\nL-2,b\n", []string{"safe reading: revuelta convert --quote none --comment '#' FILE"}},
		"a header of two rows without data": {"lot,kilos,\nL-1,2,\n", nil},
		"places of a thread":                {"reel,10003,10143,0\nreel,10358,10428,5\nreel,11780,11921,3\nreel,11996,12101,2\n", []string{"safe reading: revuelta convert --header none FILE"}},
		"doses are names":                   {"lot,0.5,1.0,1.5\nL-1,1,2,3\nL-2,2,3,5\nL-3,4,4,8\n", nil},
		"codes above codes":                 {"10A,red\n20B,blue\n30C,red\n40D,green\n50E,red\n60F,blue\n", []string{"safe reading: revuelta convert --header none FILE"}},
		"aliases":                           {"lot,aliases\nL-1,\"I,BK.1,NC.1\"\nL-2,\"II,BK.2,NC.2\"\nL-3,\"III,BK.3,NC.3\"\n", []string{"decide several values: explode aliases --at ,"}},
		"a series of numbers":               {"red,green,blue\n0,0,0\n0,0,0\n2,0,0\n4,1,0\n250,250,250\n255,255,255\n", nil},
		"nothing but NA":                    {rows("lot,fate", "L-#,@", "NA", "NA", "NA", "NA", "NA"), []string{"told markers: "}},
		"names in a comment":                {"# by hand\n#code\tplace\tnote\nV\tVesk\nU\tUlmo\thill\n", []string{"safe reading: revuelta convert --header 2 FILE"}},
		"another encoding":                  {"name,sound\n" + strings.Repeat("\xa4\xe4\xa4\xdc\xa4\xc3,\xa5\xe4\xa5\xdc\xa5\xc3\n", 5), []string{"told encoding: "}},
		"western letters":                   {"name,place\n" + strings.Repeat("Gr\xfcn,M\xe9sange\n", 12) + "Wei\xdf,C\xf4te\n", nil},
		"no table":                          {"The bees of the valley fly out early, as they did\nwhen it rained.\nBut then, nobody minds\nand so on\nfor ever\n", []string{"told no table: "}},
		"code":                              {"; by hand, of May\n1,2\n2,3\n", []string{"told no table: "}},
		"comments beneath the names":        {"#lot\tkilos\n# by hand\n# by scale\nL-1\t2\nL-2\t3\n", []string{"safe reading: revuelta convert --comment '# ' FILE"}},
		"names of rows, quoted":             {"\"8336\" \"8337\"\n\"a b\" 0 1\n\"c\" 1 0\n\"d\" 1 1\n", []string{"safe reading: revuelta convert --delimiter spaces --header-first row FILE"}},
		"two currencies":                    {"place,code,sign\na,XAF,FCFA\nb,XAF,FCFA\nc,XOF,F CFA\nd,XOF,F CFA\ne,EUR,E\nf,EUR,E\n", nil},
		"JSON under another name":           {" [{\"lot\": \"L-1\", \"kilos\": 2}, {\"lot\": \"L-2\", \"kilos\": 3}]\n", []string{"safe reading: revuelta convert --read-as json FILE"}},
		"a title of one word":               {"means\nSamples,Index\nKind,Factor\nDate,Day\n", []string{"told header: "}},
		"no units":                          {"lot,kilos,degrees\nL-0,few,many\nL-1,2,20\nL-2,3,21\nL-3,4,19\nL-4,4,19\nL-5,4,19\n", []string{"told several types: ", "told several types: "}},
		"rows of a grid":                    {"1,,,4,,,\n,2,,,5,,\n8,7,3,,,6,\n4,,,7,,,1\n", []string{"safe reading: revuelta convert --header none FILE"}},
		"another delimiter above":           {"hive:place:turn\ntree:-48.0,0.0,-18.0:0.0\ntree:22.0,0.0,-44.0:0.0\n", []string{"told reading: "}},
		"names that stand below":            {rows("p, anna, hive", "p, @, hive", "anna", "bo", "anna", "cia", "bo"), []string{"safe reading: revuelta convert --header none FILE", "safe spaces: scrub 'field 2,field 3'"}},
		"a header repeated":                 {"lot,place,kilos\nL-1,Vesk,2\nL-2,Ulmo,3\nL-3,Vesk,4\nL-4,Ulmo,5\n", nil},
		"names in a comment among others":   {"Made: by hand\n# of May\n# lot=0, place=1, x\nthe end\n1, 2\n2, 3\n3, 4\n4, 5\n5, 6\n", []string{"told header: "}},
		"rows wider than what seems names":  {"#\n# menu\n@a,,10,10,180\n@b,,10,10,181\n@c,x,10,11,12\n\ntop,open,2\nlast,close,3\nleft,in,4\n", []string{"told reading: "}},
		"years with a letter":               {rows("year,kilos", "@,2", "1984Y", "1985Y", "1986Y", "1987Y"), nil},
		"quarters with a letter":            {rows("quarter,kilos", "@,2", "1T", "2T", "3T", "4T"), nil},
		"versions with a letter":            {rows("lot,version", "L-#,@", "1.5h", "1.5k", "1.5i", "1.5", "1.6", "1.5h"), nil},
		"prose with commas":                 {rows("lot,work", "L-#,\"@\"", "Queen 1, part A, kind a", "Queen 1, part B, kind a", "One of old, by hand"), nil},
		"lists side by side":                {"lot,plant,sign\nL-1,lime;ivy,x;y\nL-2,ivy,y\nL-3,heather;lime;ivy,z;x;y\nL-4,lime;heather,x;z\nL-5,ivy;lime,y;x\nL-6,heather;ivy,z;y\n", []string{"safe several values: explode plant,sign --at ';'"}},
		"a code of numbers":                 {rows("lot,rule", "L-#,@", "2;0;7", "-1;0;10", "1;0;4", "2;0;3", "1;0;10", "-1;0;9"), nil},
		"codes of form":                     {rows("lot,form,kilos", "L-#,@,2", "an4", "an..4", "an..4", "an..35", "an..35", "an..4", "an..4", "an..4"), nil},
		"struck out":                        {rows("lot,scale,kilos", "L-#,@,2", "__DS18__", "DS18", "DS18", "DS18", "DS18", "DS18", "HX20", "HX20"), nil},
		"groups of their own":               {"lot,Apiary / Kept,Apiary / Lost,Apiary / Dead,Swarm / Kept,Swarm / Lost,Swarm / Flown\nL-1,1,2,3,4,5,6\nL-2,1,2,3,4,5,6\nL-3,1,2,3,4,5,6\n", nil},
		"two names":                         {"lot,keeper,build\nL-1,Onkara,55.1.2\nL-2,Bryzel,50.0\nL-3,Onkara,55.2.1\nL-4,Bryzel,51.0\nL-5,Bryzel,49.0\nL-6,Onkara,56.1.1\n", nil},
		"more names than cells":             {"word,{a,b},{c},d\nx,1,2\ny,2,3\nz,3,4\n", []string{"told blank fields: "}},
		"lines of two kinds":                {"kind,load,of_hive,2\nfield,load,of_hive,of_hive,u64,\nkind,load,out_value,4\nfield,load,out_value,out_value,u32,\nkind,load,of_town,8\nfield,load,of_town,id,u16,\n", []string{"told header rows: "}},
		"two constant fields":               {"gi,45,ref,x\ngi,46,ref,y\ngi,47,ref,z\ngi,48,ref,w\ngi,49,ref,v\n", []string{"safe reading: revuelta convert --header none FILE"}},
		"numbers between lone CRs":          {"1.5,2.5,-3\r2.5,3.5,4\r3.5,1.25,5\r", []string{"safe reading: revuelta convert --line-end cr --header none FILE"}},
		"places of a plate":                 {"hour,A1,A2,B1,B2,C1,C2,D1,D2\n1,2,3,4,5,6,7,8,9\n2,3,4,5,6,7,8,9,10\n", []string{"decide headers: unpivot '{group:1}{number:#}' --value value"}},
		"a kind in front":                   {rows("lot,note", "L-#,@", "CVE-2004-0457", "CVE-2004-0836", "CVE-2005-0836", "CVE-2006-0001"), nil},
		"a doubted word":                    {rows("lot,work,kilos", "L-#,@,2", "help?", "help", "help", "help", "help", "done", "done", "done"), nil},
		"codes in capitals":                 {rows("lot,kind,kilos", "L-#,@,2", "CONTEXTJ", "CONTEXTO", "CONTEXTO", "CONTEXTO", "CONTEXTO", "VALID", "VALID", "VALID"), nil},
		"tuples":                            {rows("lot,place", "L-#,\"@\"", "(1, 2, 7)", "(1, 7, 2)", "(2, 1)", "(7)", "4", "(1, 7, 4)"), nil},
		"nothing before the comma":          {rows("lot,projects", "L-#,\"@\"", ",<a>", ",<b>", ",<a>", ",<a>", ",<b>", ",<b>"), nil},
		"lists in the end":                  {rows("lot,plants", "L-#,\"@\"", "ivy,lime", "lime", "lime,ivy", "ivy", "heather,ivy", "heather"), []string{"safe several values: explode plants --at ,"}},
		"an indented plan":                  {rows("account,place", "@,#", "Hives", "  Vesk", "  Ulmo", "    Top Wood", "Jars", "  Tamro"), []string{"told indentation: "}},
		"spaces before some":                {rows("account,place", "@,#", "Hives", " Vesk", "  Ulmo", "Jars", "Tamro"), []string{"safe spaces: scrub account"}},
		"names of things":                   {"lot,street_id,street_name,town_id,town_name\nL-1,4,Mill Lane,2,Vesk\nL-2,5,Oak Road,3,Ulmo\nL-3,6,Elm Row,2,Vesk\n", nil},
		"parted by colons":                  {"town:county:people\nVesk:VE:968\nUlmo:UL:1406\nTamro:TA:77\n", []string{"safe reading: revuelta convert --delimiter : FILE"}},
		"a total of nothing":                {rows("apiary,people,total", "@,30,7", "Vesk", "Tamro", "Ulmo", "Alder", "Orran"), nil},
		"old and new names":                 {"name_old,name_new,kind_old,kind_new,lot\nx5,x5,number,number,1\nx4,x4i,number,whole,2\nx3,x3,ordered,ordered,3\nx2,x2,text,factor,4\n", nil},
		"a header that stands again":        {rows("day,kilos,jars,queens", "@", "d1,1.5,2,3", "d2,2.5,2,4", "d3,3.5,3,1", "day,grams,lids,drones", "d1,1.5,8,3", "d2,2.5,7,4", "d3,3.5,6,1", "d4,4,5,1", "d5,5,2,2", "d6,6,1,2", "day,grams,lids,drones", "d7,1.5,7,3", "d8,2.5,9,4"), []string{"told several types: ", "told several types: ", "told several types: "}},
		"numbers with spaces":               {rows("hive,kind,kilos", "@", "a,mites, 98.6", "b,mites,120", "c,mites,130", "a,brood, 88.1", "b,brood,  7.5", "c,brood,77", "a,honey,12", "b,honey,13", "c,honey,14", "a,drones, 5", "b,drones, 6", "c,drones, 7"), []string{"safe spaces: scrub kilos"}},
		"a year first or last":              {"name,born\nOnkara,17/05/01\nBryzel,12/08/03\n", []string{"told dates: "}},
		"a year last":                       {rows("name,born", "N-#,@", "17/05/01", "12/08/03", "30/06/01", "25/12/02", "14/02/03", "19/04/01", "28/02/02"), []string{"decide dates: cast born date --from %d/%m/%y"}},
		"laid out for the eye":              {"hive,season,label,kilos\na,May,a,1\na,May,May,2\na,May,,3\nb,May,b,4\nb,June,June,5\nb,June,,6\nc,June,c,4\nc,July,July,5\nc,July,,6\n", nil},
		"initials":                          {rows("plant,kilos", "@,1", "T._cordata", "T._europaea", "H._helix", "C._vulgaris", "C._cordata", "H._europaea"), nil},
		"codes of towns":                    {"street,code\nMill Lane,1181PL\nOak Road,1182PV\nElm Row,1013GW\n", nil},
		"one row of numbered names":         {"a1,a2,a3\nb1,b2,b3\n", nil},
		"a year first or last, at a time":   {"at,kilos\n26/01/10 01:02,1\n26/01/10 05:02,2\n26/01/10 09:02,3\n", []string{"told dates: "}},
		"samples taken twice":               {rows("hive,T1a,T1b,T2,T3,N1,N2", "@,1,2,3,4,5,6", "a", "b", "c"), nil},
		"codes above numbers":               {rows("code,scale", "@", "HIVE00000335137,1", "HIVE00000335137,2", "HIVE00000335138,x", "HIVE00000335138,y", "HIVE00000335139,3", "HIVE00000335139,z"), nil},
		"units as expressions":              {rows("lot,unit", "L-#,@", "K g/m^2", "kg/m^2", "kg/m^2", "kg/m^2", "kg/m^2", "(3/2)-", "(3/2-)", "(3/2-)", "(3/2-)"), nil},
		"words of one character":            {rows("lot,kind", "L-#,@", "動詞接頭辞語", "名詞接頭辞語", "名詞接頭辞語", "名詞接頭辞語", "名詞接頭辞語", "名詞接頭辞語"), nil},
		// reading
		"commas in a tsv":            {"town,kilos\nVesk,1\nUlmo,2\n", []string{"safe reading: revuelta convert --delimiter , FILE"}},
		"codes in order":             {rows("AA,Vesk", "A@,Town #", "B", "C", "D", "E", "F", "G", "H", "I", "J", "K", "L", "M", "N", "O", "P", "Q", "R", "S", "T", "U"), []string{"safe reading: revuelta convert --header none FILE"}},
		"a name above codes":         {rows("ST,town", "A@,Town #", "B", "C", "D", "E", "F", "G", "H", "I", "J", "K", "L", "M", "N", "O", "P", "Q", "R", "S", "T", "U"), nil},
		"addresses":                  {"Onkara,o@farm.example\nBryzel,b@farm.example\nDovri,d@farm.example\n", []string{"safe reading: revuelta convert --header none FILE"}},
		"a word above numbers":       {"x,.1\n0.00123,0.086311\n0.03414,0.086886\n0.1,0.09\n0.2,0.1\n0.3,0.12\n", nil},
		"pairs but for signs":        {"ab-dune,ab'dune\nal-fora,al'fora\nlan,la'n\nulmo-vesk,ulmo'Vesk\ntamro,Tamro\norran,Or-ran\n", []string{"safe reading: revuelta convert --header none FILE"}},
		"a town and its plain name":  {"city,city_plain\nVesk,Vesk\nUlmo,Ulmo\nTamró,Tamro\nOrran,Orran\nAlder,Alder\n", nil},
		"pairs of one name":          {"Andor;Andor;And\nAldor;Aldor;Ald\nVesk;Vesk;Ves\nUlmo;Ulmo;Ulm\nTamro;Tamra;Tam\nOrran;Orran;Orr\n", []string{"safe reading: revuelta convert --header none FILE"}},
		"numbers alone":              {"44060\n44081\n44144\n44256\n44300\n44444\n", []string{"safe reading: revuelta convert --header none FILE"}},
		"numbers of a year":          {"2024\n44081\n44144\n44256\n44300\n44444\n", []string{"decide header: "}},
		"texts under texts":          {"Drone,Male\nQueen,Mother\nWorker,Daughter\nSwarm,Leaving\nBrood,Young\nSkep,Basket\n", []string{"decide header: "}},
		"texts under words":          {"word,says\nDrone,Male\nQueen,Mother\nWorker,Daughter\nSwarm,Leaving\nBrood,Young\nSkep,Basket\n", nil},
		"texts under known names":    {"Title,Author\nDrone,Male\nQueen,Mother\nWorker,Daughter\nSwarm,Leaving\nBrood,Young\n", nil},
		"kinds under another word":   {"Bee,Role\n" + strings.Repeat("Drone,Male\nQueen,Mother\nWorker,Daughter\n", 5), nil},
		"codes that are dialled":     {rows("land,code", "Land #,@", "+1 684", "+44", "+1 876", "+49", "+1 441", "+1 264"), nil},
		"numbers before words":       {rows("lap,swum", "L-#,@", "50 free", "100 free", "200 free", "50 back", "100 back", "400 free", "800 free", "1500 free"), nil},
		"points beneath a count":     {"6\n(998,3185)\n(999,3184)\n(1001,3180)\n(1004,3171)\n(1010,3170)\n(1012,3166)\n", []string{"told header: "}},
		"codes of several in lists":  {rows("land,tongues", `Land #,"@"`, "eng,smo", "hye", "bel,rus", "nld,fra,deu", "ita", "por,spa", "fin,swe", "dan", "isl,nor", "est,lav", "lit,pol", "ces,slk", "hun,ron"), []string{"decide several values: explode tongues --at ,"}},
		"a sign beside other rows":   {rows("*,LT-123z-5,x,y", "@,LT-123#-5,x#,y", "#", "%", "+", "&", "~", "!", "?", "<", ">", "=", "/"), []string{"safe reading: revuelta convert --header none FILE"}},
		"a space that is a sign":     {rows("sign,says", "@,a #", "、", "。", "　", "「", "」"), nil},
		"a name with a mark":         {"# of hives\n3\n4\n5\n7\n9\n", nil},
		"a title with a mark":        {"# Hives of May,,\nlot,kilos,jars\n#1,2,3\n#2,3,4\n#3,4,6\n", []string{"told header: "}},
		"keepers by two names":       {rows("lot,keepers", `L-#,"@"`, "Onkara,Ilvo", "Bryzel,Ada", "Dovri,Ana", "Ysante,Olka", "Onkara,Vera", "Bryzel,Ilvo", "Dovri,Olka", "Ysante,Ada", "Onkara,Ana", "Bryzel,Vera", "Dovri,Ilvo"), nil},
		"lines under a comment":      {"# What the songs are called\nsong[0]=bees.wav\nsong[1]=hive.wav\nsong[2]=swarm.wav\n", []string{"told no table: "}},
		"numbers written short":      {rows("hive,kilos", "6.1283@E+11,2", "1", "2", "3", "4", "5", "6", "7"), []string{"told shortened: "}},
		"comments above, no header":  {"# Codes that are not in the list of the others,\n# as no land goes with them.\n\nXD,+888 // Hives\nXR,+979 // Skeps\nXT,+800 // Boxes\nXV,+882,+883 // Logs\nXC,+991 // Caves\nXN,+870 // Trees\n", []string{"safe reading: revuelta convert --comment '#' --header none FILE"}},
		"lands in capitals":          {rows("lot,land", "L-#,@", "US-HI", "US-MI", "US-MI", "US-MI", "US-MI", "US-MI", "US-MI", "US-HI"), nil},
		"atoms":                      {rows("lot,atom", "L-#,@", "H2'1", "H2'1", "H2'1", "H2'1", "H21", "H2'1", "H2'1", "H2'1"), nil},
		"a month of a year":          {rows("lot,month", "L-#,@", "Jan-11", "Feb-11", "Mar-11", "Jan-12", "Feb-12", "Mar-12"), nil},
		"decimal commas in columns":  {"2,5  -0,25 1,0\n3,5  -0,75 1,5\n4,5  -1,25 2,0\n5,5  -1,75 2,5\n", []string{"safe reading: revuelta convert --delimiter spaces --header none FILE", "safe numbers: cast 'field 1,field 2,field 3' number --decimal ,"}},
		"a quote in a comment":       {"#The \"old\" hives, by their keeper\n#kilos of honey\nlot,kilos,jars\nL-1,2,3\nL-2,3,4\nL-3,4,5\n", []string{"decide reading: revuelta convert --comment '#' FILE"}},
		"a word that stands beneath": {"1st,undef,60\n2nd,52,61\n3rd,53,61\n4th,54,62\n5th,undef,63\n6th,56,64\n7th,57,65\n", []string{"safe reading: revuelta convert --header none FILE", "told several types: "}},
		"codes of two places":        {"H2,m8,c6\nH1,m7,c5\nH7,m7,c3\nH2,m7,c1\nH4,m8,c6\nH3,m7,c4\nH9,m7,c3\nH5,m7,c1\n", []string{"safe reading: revuelta convert --header none FILE"}},
		"cells laid out within":      {rows("lot,spans", "L-#,@", "1000 1100    1500 2000", "1000 1250    1900 2000", "1100 1250    1900 2000", "1000 1150    1900 2000"), nil},
		"prose above the data":       {"Here are the ranges of the hives:\n\n1-14,Walk slowly\n15-20,Rest\n21-30,Swarm\n31-40,Feed\n41-50,Sleep\n\nThere it is - have fun with it\n", []string{"told header: "}},
		"texts behind a comment":     {"# bees\nDrone,Male\nQueen,Mother\nWorker,Daughter\nSwarm,Leaving\nBrood,Young\nSkep,Basket\n", []string{"decide reading: revuelta convert --comment '#' FILE"}},
		"versions named":             {"000,VERSIONS:,1:7.5\n001,open,17\n002,close,33\n003,read,9\n004,write,9\n005,seek,4\n", nil},
		"a series from the header":   {"1,Vesk\n2,Ulmo\n3,Tamro\n4,Alder\n5,Orran\n", []string{"safe reading: revuelta convert --header none FILE"}},
		"a series beneath names":     {"1,2,3\n2,5,7\n3,4,9\n4,1,1\n5,7,7\n", []string{"decide headers: unpivot '{number:#}' --value value"}},
		"codes of one shape":         {rows("BEEABBAE-1", "@-1", "BEEBBAEA", "AEEABBAE", "BEEAEBAE", "BEEABBEE", "BAEABBAE", "BEEABAAE", "AAEABBAE", "BEEBBBAE", "BEAABBAE", "EEEABBAE"), []string{"safe reading: revuelta convert --header none FILE"}},
		"numbers in codes":           {rows("scale_61_at_112_of_11.3,160", "scale_@_at_7_of_2.5,1@", "1", "22", "3", "46", "5", "6", "777", "8", "9", "10"), []string{"safe reading: revuelta convert --header none FILE"}},
		"one text for all":           {"Vesk,M-1\n" + strings.Repeat("Vesk,M-2\nVesk,M-3\nVesk,M-4\nVesk,M-5\nVesk,M-6\n", 5), []string{"safe reading: revuelta convert --header none FILE"}},
		"comments":                   {"# weighed by hand\n# in May\nlot,kilos\n1,2\n2,3\n", []string{"safe reading: revuelta convert --comment '#' FILE"}},
		"a marked header":            {"#lot\tkilos\nL-1\t2\nL-2\t3\n", nil},
		"marked beneath":             {"# made by a scale\n#lot\tkilos\nL-1\t2\nL-2\t3\n", []string{"safe reading: revuelta convert --header 2 FILE"}},
		"joined letters":             {rows("lot,keeper", "L-#,@", "شاهزاده\u200cنشین", "Onkara", "Bryzel", "Dovri"), nil},
		"names behind a mark":        {"# id kilos\n1 2.5\n26 3.5\n27 4.5\n", []string{"decide reading: revuelta convert --delimiter spaces --comment '#' --header none FILE"}},
		"names but of rows":          {"# weighed in May\n# kilos jars\nL-1\t1.5\t3\nL-2\t2.5\t4\nL-3\t2\t4\n", []string{"decide reading: revuelta convert --comment '#' --header none FILE"}},
		"a mark on a name":           {"#id kilos\n1 2.5\n26 3.5\n", []string{"safe reading: revuelta convert --delimiter spaces FILE"}},
		"runs of spaces":             {"lot   kilos\n1     2.5\n26    3\n", []string{"safe reading: revuelta convert --delimiter spaces FILE"}},
		"no header":                  {"1,2.5,-3\n2,3.5,4\n3,1.25,5\n", []string{"safe reading: revuelta convert --header none FILE"}},
		"years are a header":         {"apiary,2021,2022,2023\nVesk,1,2,3\nUlmo,2,3,4\n", []string{"safe headers: unpivot '{year:#}' --value value"}},
		"a header too short":         {"kilos,jars\n1,2,3\n2,3,4\n", []string{"safe reading: revuelta convert --header-first row FILE"}},
		"inches":                     {"board,kilos\n6\" board,2\n8\" board,3\n", []string{"safe reading: revuelta convert --quote none FILE"}},
		"escaped quotes":             {"board,kilos\n\"6\\\" board\",2\n\"8\\\", long\",3\n", []string{"safe reading: revuelta convert --escape backslash FILE"}},
		"lone CR":                    {"lot,kilos\r1,2\r2,3\r", []string{"safe reading: revuelta convert --line-end cr FILE"}},
		"a long row":                 {"lot,kilos\n" + strings.Repeat("1,2\n", 40) + "1,2,3\n", []string{"told reading: "}},
		"a title of cells":           {"many people,,\ncannot resist,,notes\nat,,top\nof,,\nlot,kilos,jars\n1,2,3\n2,3,5\n", []string{"safe header: revuelta convert --header 5 FILE"}},
	} {
		file := "in.csv"
		if strings.HasSuffix(name, "in a tsv") {
			file = "in.tsv"
		}
		if strings.HasPrefix(c.text, "{") {
			file = "in.json"
		}
		require.NoError(t, os.WriteFile(file, []byte(c.text), 0o644))
		status, out, told := program(t, "look --json "+file)
		require.Zero(t, status, "%s: %s", name, told)
		var f found
		require.NoError(t, json.Unmarshal([]byte(out), &f))
		var got []string
		for _, x := range f.Findings {
			does := x.Step
			if does == "" {
				does = strings.ReplaceAll(x.Command, file, "FILE")
			}
			got = append(got, x.Part+" "+x.Kind+": "+does)
			if x.Command != "" {
				status, _, told := program(t, strings.TrimPrefix(x.Command, "revuelta "))
				assert.Zero(t, status, "%s: %s: %s", name, x.Command, told)
			}
		}
		assert.Equal(t, c.want, got, name)
	}
}
