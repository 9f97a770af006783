package test

import (
	"encoding/json"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

type mess struct {
	name, text string
	as         string // also looked at in this format
	want       []string
}

// labelled are files with known mess: what is to be found in each, by kind.
var labelled = []mess{
	{"titles.csv", "Harvest of the three valleys,,,\nseason 2024,,,\n,,,\napiary,colony,kilos,jars\nVesk,026,1.5,3\nVesk,027,2,4\nTamro,007,3.25,6\nUlmo,T-1,4,8\n", "", []string{"header"}},
	{"two-rows.csv", "Season 2024,,,,\n,,,,\napiary,May,,June,\n,kilos,jars,kilos,jars\nVesk,1.5,3,2,4\nTamro,3.25,6,4,8\nUlmo,1,2,0.5,1\nNorrby,2,4,3,6\n", "", []string{"header rows", "headers"}},
	{"notes.csv", "apiary,colony,kilos\nVesk,026,1.5\nVesk,027,2\nTamro,007,3.25\nUlmo,T-1,4\n* weighed after settling,,\nSource: the hive book,,\n", "ods", []string{"foot"}},
	{"measures.csv", "apiary,colony,May kilos,May jars,June kilos,June jars,July kilos,July jars\nVesk,026,1.10,2,4,8,3,6\nVesk,027,2.5,5,1,2,2,4\nTamro,007,3,6,1,2,4,8\n", "parquet", []string{"headers"}},
	{"months.csv", "apiary,Jan,Feb,Mar,Apr\nVesk,1,2,3,4\nTamro,2,3,4,5\nUlmo,3,4,5,6\n", "json", []string{"headers"}},
	{"years.csv", "apiary,2021,2022,2023,2024\nVesk,1,2,3,4\nTamro,2,3,4,5\nUlmo,3,4,5,6\n", "xlsx", []string{"headers"}},
	{"days.csv", "hive,Day 1,Day 2,Day 3,Day 4\n026,1,2,3,4\n007,2,3,4,5\nT-1,3,4,5,6\n", "", []string{"headers"}},
	{"codes.csv", "member,QA01,QA02,QC01,QC02\nR-1,1,2,3,4\nR-2,2,3,4,5\nR-3,3,4,5,1\n", "", []string{"headers"}},
	{"forage.csv", "hive,forage\n026,clover; lime; heather\n007,clover\nT-1,lime; clover\nT-2,heather; lime\nT-3,clover; heather\n", "sqlite", []string{"several values"}},
	{"offers.csv", "supplier,offers\nS-01,\"[{\"\"item\"\":\"\"jar\"\",\"\"price\"\":0.4}]\"\nS-02,\"[{\"\"item\"\":\"\"lid\"\",\"\"price\"\":0.1},{\"\"item\"\":\"\"jar\"\",\"\"price\"\":0.5}]\"\n", "", []string{"JSON"}},
	{"tags.csv", "tag,kilos\nVesk-03/2022,1\nTamro-12/2023,2\nUlmo-07/2022,3\nNorrby-01/2021,4\nVesk-11/2024,5\n", "", []string{"compound"}},
	{"labels.csv", "apiary,colony,kilos\nVesk,026,1.5\n,027,2\n,031,2.5\nTamro,007,3.25\n,011,1\nUlmo,T-1,4\n,T-2,5\n", "ods", []string{"blank runs"}},
	{"questions.csv", "member,question,answer\nR-1,hives,12\nR-1,queen,seen\nR-2,hives,7\nR-2,queen,not seen\nR-3,hives,9\nR-3,queen,seen\n", "", []string{"names and values"}},
	{"nobody.csv", "question,answer\nname,Onkara\nhives,12\nname,Bryzel\nhives,7\nname,Dovri\nhives,9\n", "", []string{"names without a person"}},
	{"stack.csv", "Inspections in May,,,\n" + strings.Join([]string{
		"Visit,1,Apiary,Vesk\nDate,2024-05-02,Keeper,Ines\nColony,Brood,Honey,Note\n026,6,2,calm\n027,5,3,\n",
		"Visit,2,Apiary,Tamro\nDate,2024-05-09,Keeper,Ines\nColony,Brood,Honey,Note\n007,7,1,\n011,4,2,restless\n",
		"Visit,3,Apiary,Ulmo\nDate,2024-05-16,Keeper,Ines\nColony,Brood,Honey,Note\nT-1,3,1,\nT-2,4,2,calm\n",
	}, ",,,\n"), "xlsx", []string{"repeated blocks"}},
	{"totals.csv", "apiary,May,June,Total\nVesk,1,2,3\nTamro,2,3,5\nUlmo,4,5,9\nTotal,7,10,17\n", "", []string{"total rows", "total fields"}},
	{"subtotals.csv", "apiary,colony,April,May\nVesk,026,1.10,4\nVesk,007,2.50,3\nSubtotal Vesk,,3.60,7\nTamro,011,1.00,2\nTamro,012,0.50,1.5\nSubtotal Tamro,,1.50,3.5\nTotal,,5.10,10.5\n", "xlsx", []string{"total rows"}},
	{"behind.csv", "apiary,colony,kilos\nVesk,026,4\n,007,3\nVesk total,,7\nTamro,011,2\n,012,5\n,014,1\nTamro total,,8\nUlmo,T-1,3\n,T-2,4\nUlmo total,,7\nGrand total,,22\n", "ods", []string{"total rows", "blank runs"}},
	{"twice.csv", "Honey book 2025,,,\nApiary,April,April,May\n,kilos,jars,kilos\nVesk,1.5,3,4\nTamro,2.25,4,6\nUlmo,0.5,1,2\n", "xlsx", []string{"header rows"}},
	{"corner.csv", "Honey book 2025;;;\n;April;April;May\n;kilos;jars;kilos\nVesk;1,5;3;4\nTamro;2,25;4;6\n;;;\n* measured after extraction;;;\n", "", []string{"header rows", "foot", "numbers"}},
	{"nameless.csv", "apiary,May,June,jars\nVesk,1,2,5\nTamro,2,3,6\nUlmo,4,5,7\nKalin,1,1,1\n\" \",8,11,19\n", "", []string{"total rows", "spaces"}},
	{"commas.csv", "apiary;kilos;price\nVesk;1,5;2,40\nTamro;12,25;7,00\nUlmo;1.234,50;6,50\nNorrby;0,75;1,15\n", "", []string{"numbers"}},
	{"limits.csv", "sample,mites (%)\nT-1,2%\nT-2,3.5%\nT-3,<1%\nT-4,4%\nT-5,6%\nT-6,5%\n", "", []string{"numbers"}},
	{"commas2.csv", "date;apiary;kilos\n2024-05-02;Vesk;1.234,5\n2024-05-13;Tamro;12,0\n2024-05-14;Ulmo;\n2024-05-15;Norrby;\n", "", []string{"numbers"}},
	{"units.csv", "apiary,kilos\nVesk,12.5 kg\nTamro,3 kg\nUlmo,7.25 kg\nNorrby,1 kg\n", "xlsx", []string{"numbers"}},
	{"dates.csv", "visit,date\n1,13.05.2024\n2,2.6.2024\n3,30.06.2024\n4,01.07.2024\n", "", []string{"dates"}},
	{"ambiguous.csv", "visit,date\n1,03/05/2024\n2,02/06/2024\n3,01/06/2024\n4,01/07/2024\n", "", []string{"dates"}},
	{"missing.csv", "apiary,kilos,jars\nVesk,1.5,NA\nTamro,NA,3\nUlmo,4,5\nNorrby,2,4\n", "", []string{"markers"}},
	{"spaces.csv", "apiary,keeper\n Vesk,Onkara\nTamro ,Bryzel\nUlmo,Dovri  Lund\nNorrby,Ysante\n", "json", []string{"spaces"}},
	{"spellings.csv", "apiary,kilos\nNorrby,1\nnorrby,2\nNorrby,3\nTamro,4\nTamro,5\nTamroo,6\nTamro,7\nTamro,8\nNorrby,9\n", "", []string{"spellings"}},
	{"twice.csv", "visit,apiary,kilos\n1,Vesk,1.5\n2,Tamro,2\n2,Tamro,2\n3,Ulmo,4\n", "", []string{"duplicate rows"}},
	{"nothing.csv", "hive,,kilos,note\n026,,1.5,\n007,,2,\nT-1,,4,\nT-2,,3,\n", "", []string{"blank fields"}},
	{"types.csv", "hive,mites\n026,3\n007,12\nT-1,many\nT-2,0\nT-3,5\nT-4,7\n", "", []string{"several types"}},
}

// messy are files with several kinds of mess, as somebody would send them, beside the tests.
var messy = []struct {
	name, as string
	want     []string
}{
	{"yearbook.csv", "", []string{"header rows", "foot", "markers", "total rows", "total fields", "headers", "blank runs", "numbers"}},
	{"survey.csv", "xlsx", []string{"markers", "headers", "several values", "dates", "spaces", "spellings", "duplicate keys"}},
	{"stock.tsv", "parquet", []string{"numbers", "dates", "compound"}},
	{"form.csv", "", []string{"repeated blocks"}},
	{"scales.csv", "ods", []string{"markers", "blank fields", "headers", "duplicate rows"}},
	{"members.csv", "sqlite", []string{"JSON", "spaces", "duplicate keys"}},
	{"process.csv", "json", []string{"markers", "names and values"}},
	{"quarters.csv", "xlsx", []string{"total rows", "total fields", "headers"}},
	{"tags.csv", "ods", []string{"numbers", "several types", "compound"}},
	{"answers.csv", "sqlite", []string{"names without a person"}},
}

// clean are files in which nothing is to be found.
var clean = []struct{ name, text string }{
	{"tidy.csv", "apiary,colony,month,kilos,jars\nVesk,026,May,1.5,3\nVesk,026,June,2,4\nTamro,007,May,3.25,6\nTamro,007,June,1,2\nUlmo,T-1,May,4,8\n"},
	{"codes.csv", "code,region\n026,north\n007,south\n011,north\n120,east\nT-1,west\n"},
	{"dates.csv", "visit,date,time\n1,2024-05-02,14:30\n2,2024-05-16,09:15\n3,2024-06-01,11:00\n4,2024-06-02,12:45\n"},
	{"prose.csv", "visit,note\n1,\"calm, sunny and warm, little wind in the morning\"\n2,\"two frames moved; the queen was seen on the third one\"\n3,restless\n4,\"rain, so only the lids were lifted\"\n"},
	{"one.csv", "hive\n026\n007\nT-1\n"},
	{"header-only.csv", "apiary,colony,kilos\n"},
	{"one-row.csv", "apiary,colony,kilos\nVesk,026,1.5\n"},
	{"blanks.csv", "hive,kilos,note\n026,1.5,\n007,,calm\nT-1,2,\nT-2,,\nT-3,4,restless\n"},
	{"numbers.csv", "a,b,c\n1,-2.5,1e3\n2,0.5,2e-3\n3,4,5\n4,7.25,0\n"},
	{"cycles.csv", "visit,part,side,grams\n1,upper,left,5\n1,lower,right,6\n2,upper,left,4\n2,lower,right,7\n3,upper,left,3\n3,lower,right,2\n"},
	{"people.csv", "id,name,town,joined\nM-1,Onkara,Vesk,2019\nM-2,Bryzel,Tamro,2021\nM-3,Dovri,Ulmo,2018\nM-4,Ysante,Norrby,2021\n"},
}

type found struct {
	Findings []struct{ Kind, Part, Says, Evidence, Question, Step, Command string }
}

// TestLook: what is known to be untidy is found in every format, nothing is found in what is
// tidy, and each finding's command runs as it stands and mends what it names.
func TestLook(t *testing.T) {
	bin, dir := binary(t), t.TempDir()
	in := func(args ...string) (string, error) {
		cmd := exec.Command(bin, args...)
		cmd.Dir = dir
		out, err := cmd.CombinedOutput()
		return string(out), err
	}
	look := func(file string) found {
		cmd := exec.Command(bin, "look", "--json", file)
		cmd.Dir = dir
		out, err := cmd.Output()
		require.NoError(t, err, file)
		var f found
		require.NoError(t, json.Unmarshal(out, &f), file)
		return f
	}
	wanted, made := 0, 0
	for _, m := range messy {
		text, err := os.ReadFile(filepath.Join("testdata", "mess", m.name))
		require.NoError(t, err)
		labelled = append(labelled, mess{"messy-" + m.name, string(text), m.as, m.want})
	}
	for _, l := range labelled {
		require.NoError(t, os.WriteFile(filepath.Join(dir, l.name), []byte(l.text), 0o644))
		files := []string{l.name}
		if l.as != "" {
			other := strings.TrimSuffix(l.name, filepath.Ext(l.name)) + "." + map[string]string{"sqlite": "db"}[l.as]
			if l.as != "sqlite" {
				other += l.as
			}
			args := []string{"convert", "--quiet", l.name, "-o", other, "--overwrite"}
			if l.as == "xlsx" || l.as == "ods" { // as it lies
				args = append(args, "--header", "1")
			}
			out, err := in(args...)
			require.NoError(t, err, out)
			files = append(files, other)
		}
		for _, file := range files {
			f := look(file)
			var kinds []string
			for _, x := range f.Findings {
				kinds = append(kinds, x.Kind)
				assert.NotEmpty(t, x.Says)
				assert.Contains(t, []string{"safe", "decide", "told"}, x.Part)
				if x.Command == "" {
					assert.NotEmpty(t, x.Question, "%s: %s", file, x.Says)
					continue
				}
				assert.NotEmpty(t, x.Evidence, "%s: %s", file, x.Says)
				out, err := exec.Command("sh", "-c", "cd '"+dir+"' && PATH='"+filepath.Dir(bin)+"':$PATH && "+x.Command+" -o mended.csv --overwrite --quiet").CombinedOutput()
				if !assert.NoError(t, err, "%s: %s\n%s", file, x.Command, out) {
					continue
				}
				for _, y := range look("mended.csv").Findings {
					assert.False(t, y.Kind == x.Kind && y.Says == x.Says, "%s: %s is found again after %s", file, y.Says, x.Command)
				}
			}
			for _, w := range l.want {
				wanted++
				if slices.Contains(kinds, w) {
					made++
				} else {
					t.Logf("%s: no finding of %s among %v", file, w, f.Findings)
				}
			}
			for _, k := range kinds {
				if !slices.Contains(l.want, k) {
					t.Logf("%s: also found: %s", file, k)
				}
			}
			plan := filepath.Join(dir, "start.plan")
			os.Remove(plan)
			_, err := in("look", file, "--plan", "start.plan")
			require.NoError(t, err, file)
			out, err := in("run", "start.plan", "-o", "out.csv", "--quiet")
			assert.NoError(t, err, "%s: %s", file, out)
		}
	}
	t.Logf("%d of %d known findings are made", made, wanted)
	assert.GreaterOrEqual(t, 10*made, 9*wanted)
	for _, c := range clean {
		require.NoError(t, os.WriteFile(filepath.Join(dir, "clean-"+c.name), []byte(c.text), 0o644))
		assert.Empty(t, look("clean-"+c.name).Findings, c.name)
	}
	tidy, err := filepath.Glob(filepath.Join("testdata", "tidy", "*.csv"))
	require.NoError(t, err)
	require.NotEmpty(t, tidy)
	for _, file := range tidy {
		file, err = filepath.Abs(file)
		require.NoError(t, err)
		assert.Empty(t, look(file).Findings, file)
	}
}
