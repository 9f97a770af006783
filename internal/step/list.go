package step

// List is every step, in the order in which help shows them.
func List() []*Spec {
	return []*Spec{
		unpivotSpec,
		fieldsSpec,
		renameSpec,
		fillSpec,
		whereSpec,
		setSpec,
		castSpec,
		scrubSpec,
		recodeSpec,
		splitSpec,
		combineSpec,
		explodeSpec,
		bundleSpec,
		transposeSpec,
		stencilSpec,
		sortSpecification,
		distinctSpec,
		numberSpec,
		besideSpec,
		joinSpec,
		appendSpec,
		pivotSpec,
		groupSpec,
		assertSpec,
	}
}

// Find finds a step by name, nil where there is none.
func Find(name string) *Spec {
	for _, s := range List() {
		if s.Name == name {
			return s
		}
	}
	return nil
}

// Names lists the names of the steps.
func Names() []string {
	var out []string
	for _, s := range List() {
		out = append(out, s.Name)
	}
	return out
}
