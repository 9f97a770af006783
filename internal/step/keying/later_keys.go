package keying

import (
	"encoding/binary"
	"io"
	"os"

	"revuelta/internal/rowstore"
)

// LaterKeys are keys for which memory has no room, in a temporary file, dealt to buckets by their first hash. All are added
// before it is asked which of them came again. They are numbered as they come, from 0.
type LaterKeys struct {
	temp    string
	f       *os.File
	end     int64 // of the file
	n       int64
	buckets [256]keyBucket
}

// keyBucket is the keys of a bucket: blocks of the file, and what is not written yet.
type keyBucket struct {
	blocks []int64
	buf    []byte
}

const (
	keyEntry = 8 + 4 + 8 // two hashes and a number
	keyBlock = 800 * keyEntry
)

// NewLaterKeys makes a file in a folder for temporary files, "" being the system's.
func NewLaterKeys(temp string) (*LaterKeys, error) {
	f, err := rowstore.Temporary(temp)
	if err != nil {
		return nil, err
	}
	return &LaterKeys{temp: temp, f: f}, nil
}

// Close gives the file back.
func (l *LaterKeys) Close() { l.f.Close() }

// Add adds keys.
func (l *LaterKeys) Add(keys []Fingerprint) error {
	for _, k := range keys {
		b := &l.buckets[k.a>>56]
		if b.buf == nil {
			b.buf = make([]byte, 0, keyBlock)
		}
		b.buf = binary.LittleEndian.AppendUint64(b.buf, k.a)
		b.buf = binary.LittleEndian.AppendUint32(b.buf, k.b)
		b.buf = binary.LittleEndian.AppendUint64(b.buf, uint64(l.n))
		l.n++
		if len(b.buf) == keyBlock {
			if _, err := l.f.WriteAt(b.buf, l.end); err != nil {
				return rowstore.TemporaryError(l.temp, err)
			}
			b.blocks, b.buf = append(b.blocks, l.end), b.buf[:0]
			l.end += keyBlock
		}
	}
	return nil
}

// Repeated tells by their numbers which keys came before: a bit each, the first the lowest. A bucket, about one in 256 of them, is
// in memory at a time.
func (l *LaterKeys) Repeated() ([]uint64, error) {
	came := make([]uint64, (l.n+63)/64)
	block := make([]byte, keyBlock)
	var keys []Fingerprint
	var again []int32
	for i := range l.buckets {
		b := &l.buckets[i]
		set := keySet{lines: make([]keyLine, roomyLines(len(b.blocks)*keyBlock/keyEntry+len(b.buf)/keyEntry))}
		take := func(entries []byte) {
			keys = keys[:0]
			for e := entries; len(e) > 0; e = e[keyEntry:] {
				keys = append(keys, Fingerprint{binary.LittleEndian.Uint64(e), binary.LittleEndian.Uint32(e[8:])})
			}
			again = set.Add(keys, again[:0])
			for _, k := range again {
				n := binary.LittleEndian.Uint64(entries[int(k)*keyEntry+12:])
				came[n/64] |= 1 << (n % 64)
			}
		}
		for _, at := range b.blocks {
			if _, err := l.f.ReadAt(block, at); err != nil && err != io.EOF {
				return nil, rowstore.TemporaryError(l.temp, err)
			}
			take(block)
		}
		take(b.buf)
		*b = keyBucket{}
	}
	return came, nil
}

// roomyLines is how many lines are enough for so many keys.
func roomyLines(keys int) int { return max(fewestLines, keys/4+2) &^ 1 }
