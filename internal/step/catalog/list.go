// Package catalog lists the steps: the one place that knows them all.
package catalog

import (
	"revuelta/internal/step"
	"revuelta/internal/step/aggregate"
	"revuelta/internal/step/joining"
	"revuelta/internal/step/ordering"
	"revuelta/internal/step/reshape"
	"revuelta/internal/step/rowwise"
)

// List is every step, in the order in which help shows them.
func List() []*step.Spec {
	return []*step.Spec{
		reshape.UnpivotSpec,
		rowwise.FieldsSpec,
		rowwise.RenameSpec,
		ordering.FillSpec,
		rowwise.WhereSpec,
		rowwise.SetSpec,
		rowwise.CastSpec,
		rowwise.ScrubSpec,
		rowwise.RecodeSpec,
		rowwise.SplitSpec,
		rowwise.CombineSpec,
		reshape.ExplodeSpec,
		reshape.BundleSpec,
		reshape.TransposeSpec,
		reshape.StencilSpec,
		ordering.SortSpec,
		ordering.FirstSpec,
		ordering.DistinctSpec,
		ordering.NumberSpec,
		ordering.BesideSpec,
		joining.JoinSpec,
		joining.AppendSpec,
		aggregate.PivotSpec,
		aggregate.GroupSpec,
		rowwise.AssertSpec,
	}
}

// Find finds a step by name, nil where there is none.
func Find(name string) *step.Spec {
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
