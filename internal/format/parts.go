package format

import (
	"database/sql"
	"errors"

	"revuelta/internal/diag"
	"revuelta/internal/sheet"
)

// Part is a sheet of a workbook or a table of a database, as it is listed beside others.
type Part struct {
	Name   string   `json:"name"`
	Hidden bool     `json:"hidden,omitempty"`
	Fields int      `json:"fields"`
	Rows   int64    `json:"rows"`             // of data
	More   bool     `json:"more,omitempty"`   // there are more rows than were counted
	Header []int    `json:"header,omitempty"` // its first and last row
	Notes  int      `json:"notes,omitempty"`  // at the foot
	Empty  bool     `json:"empty,omitempty"`
	Fault  string   `json:"fault,omitempty"` // why it could not be looked at
	Names  []string `json:"-"`               // of the fields
}

// parts looks at every sheet as at the one that is read, whose sample is here. A sheet that is no table is listed with the reason.
func (b *book) parts(read *Sample, at int, o ReadOptions) (out []Part) {
	o = ReadOptions{HeaderJoin: o.HeaderJoin} // header and area were said of the sheet that is read
	for i, info := range b.Sheets() {
		p := Part{Name: info.Name, Hidden: info.Hidden}
		l := read
		if i != at {
			var err error
			if l, err = b.sampleOf(chosen{sheet: i, area: sheet.All}, o); err != nil {
				var told *diag.Error
				if p.Fault = err.Error(); errors.As(err, &told) {
					p.Fault = told.Text
				}
				p.Empty = errors.Is(err, errNothing)
				out = append(out, p)
				continue
			}
		}
		rows, _ := l.Data()
		p.Names, p.Fields, p.Rows, p.More, p.Notes = l.Names, len(l.Names), int64(len(rows)), !l.Whole, len(l.Foot)
		if l.Header.From > 0 {
			p.Header = []int{l.Header.From, l.Header.To}
		}
		out = append(out, p)
	}
	return out
}

// severalTables lists the tables of a database in which none is named.
func severalTables(db *sql.DB, tables []string) (out []Part, err error) {
	for _, t := range tables {
		p := Part{Name: t}
		probe, err := db.Query("select * from " + identifier(t) + " limit 0")
		if err != nil {
			return nil, err
		}
		names, err := probe.Columns()
		probe.Close()
		if err != nil {
			return nil, err
		}
		if err := db.QueryRow("select count(*) from " + identifier(t)).Scan(&p.Rows); err != nil {
			return nil, err
		}
		p.Fields = len(names)
		out = append(out, p)
	}
	return out, nil
}
