package view

// More makes room in a list for n more, as append does; a large one then lies on large pages.
func More[T any](s []T, n int) []T {
	if cap(s)-len(s) >= n {
		return s
	}
	return append(Huge(make([]T, 0, max(64, 2*cap(s), len(s)+n))), s...)
}
