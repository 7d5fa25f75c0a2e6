// Package workshop is the layer of what can be done at a bench, by a person, by what drives trials, or by a rig's agent: plain
// functions on rows of the store, with the rules of the job taken from core. It knows no HTTP and no page. What a concept
// lets be done stands in the file of its name.
package workshop
