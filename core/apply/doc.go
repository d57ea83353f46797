// Package apply lays a plan onto a file.
//
// [Plan] finds the folds of all ears, has the lines of each stop written (core/routine), and
// goes on stage by stage: heads-ups, temperatures, what is laid otherwise between two folds,
// travel over what stands proud, slow bridges, what is muted. It returns a [Result], whose Edits
// make the new file. [TakeOut] takes all of it out again, and [Reanchor] fits a plan to another
// slicing of the same model.
package apply
