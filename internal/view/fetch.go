package view

import "unsafe"

// Fetch asks for the lines of some keys from memory, and does not wait for them. A line takes 64 bytes, a key 16, of
// which the third four are a hash: its line is the high half of the hash times the number of lines.
func Fetch[L, K any](lines []L, keys []K) {
	if len(keys) == 0 {
		return
	}
	if unsafe.Sizeof(lines[0]) != lineSize || unsafe.Sizeof(keys[0]) != keySize {
		panic("view: lines and keys are of other sizes")
	}
	fetch(unsafe.Pointer(unsafe.SliceData(lines)), uint64(len(lines)), unsafe.Pointer(unsafe.SliceData(keys)), len(keys))
}

// Ahead asks for the numbers of a list at some places from memory, and does not wait for them.
func Ahead(list []int64, at []int32) {
	if len(at) > 0 {
		ahead(unsafe.Pointer(unsafe.SliceData(list)), 3, unsafe.Pointer(unsafe.SliceData(at)), len(at))
	}
}

// AheadShort is Ahead of numbers of half the size.
func AheadShort(list []int32, at []int32) {
	if len(at) > 0 {
		ahead(unsafe.Pointer(unsafe.SliceData(list)), 2, unsafe.Pointer(unsafe.SliceData(at)), len(at))
	}
}

// AheadTexts asks for the beginnings of texts from memory, and does not wait for them.
func AheadTexts(texts []string) {
	if len(texts) > 0 {
		aheadTexts(unsafe.Pointer(unsafe.SliceData(texts)), len(texts))
	}
}

const lineSize, keySize = 64, 16
