// Package order is how what is ordered goes on, whatever it is: one table of states and of the moves between them, which the
// database, the workers, the contract and the browser go by.
package order

import (
	"slices"

	"zestyloom/core/snag"
)

// Kind is what an order is for.
type Kind string

// The kinds of orders.
const (
	Delivery Kind = "delivery" // files to a specification
	Writing  Kind = "writing"  // a take as files
	Print    Kind = "print"    // what of a reel becomes a new recording, laid in its place
)

// Kinds are all of them, with what several of a kind are called: so are their folders and the events that tell of them.
var Kinds = map[Kind]string{Delivery: "deliveries", Writing: "writings", Print: "prints"}

// State is where an order stands.
type State string

// The states of an order.
const (
	Waiting   State = "waiting"
	Held      State = "held"
	Making    State = "making"
	Proving   State = "proving" // written, and being read back
	Laying    State = "laying"  // a recording already, which goes into its reel
	Proven    State = "proven"
	Failed    State = "failed" // with the reason
	Cancelled State = "cancelled"
)

// States are all of them.
var States = []State{Waiting, Held, Making, Proving, Laying, Proven, Failed, Cancelled}

// Move is a way from one state to another.
type Move string

// The moves that a worker makes.
const (
	Begin    Move = "begin"     // an attempt is begun, the first or another
	ReadBack Move = "read_back" // everything is written
	Lay      Move = "lay"       // what was made is a recording
	Finish   Move = "finish"    // everything is as it was ordered
	Fail     Move = "fail"      // it can't be made
)

// The moves that a person makes.
const (
	Hold   Move = "hold"   // keep it from being made; of what is under way nothing is left, and it begins anew
	Next   Move = "next"   // make it before everything of its kind that waits
	Cancel Move = "cancel" // end it, or forget that it failed; nothing of it is left
	Retry  Move = "retry"  // make what failed or was cancelled again, and let go what is held
)

// moves are all that there are.
var moves = map[Move]struct {
	from []State
	to   State
}{
	Begin:    {[]State{Waiting, Making, Proving}, Making},
	ReadBack: {[]State{Making}, Proving},
	Lay:      {[]State{Waiting, Proving, Laying}, Laying},
	Finish:   {[]State{Proving, Laying}, Proven},
	Fail:     {[]State{Waiting, Making, Proving, Laying}, Failed},
	Hold:     {[]State{Waiting, Making, Proving}, Held},
	Next:     {[]State{Waiting, Held}, Waiting},
	Cancel:   {[]State{Waiting, Held, Making, Proving, Failed}, Cancelled},
	Retry:    {[]State{Held, Failed, Cancelled}, Waiting},
}

// From are the states that a move is made from.
func (m Move) From() []State { return slices.Clone(moves[m].from) }

// To is the state that a move leads to.
func (m Move) To() State { return moves[m].to }

// Can reports whether a move can be made from a state.
func (s State) Can(m Move) bool { return slices.Contains(moves[m].from, s) }

// UnderWay reports whether a job may work on what is in the state, or will: everything else has ended, or is held.
func (s State) UnderWay() bool { return s.Can(Fail) }

// Ended reports whether nothing more becomes of what is in the state unless somebody says so.
func (s State) Ended() bool { return !s.UnderWay() && s != Held }

// In lists the states for which is holds.
func In(is func(State) bool) []State {
	return slices.DeleteFunc(slices.Clone(States), func(s State) bool { return !is(s) })
}

// Steps are the moves that a person can make from a state.
func (s State) Steps() []Move {
	return slices.DeleteFunc([]Move{Hold, Next, Cancel, Retry}, func(m Move) bool { return !s.Can(m) })
}

// expected says from where a person can make a move.
var expected = map[Move]string{
	Hold:   "only what waits or is being made can be held",
	Next:   "only what waits can be put elsewhere",
	Cancel: "only what has not ended can be cancelled",
	Retry:  "only what failed, was cancelled or is held can be made again",
}

// Check refuses a move that can't be made with what is called name and stands in a state.
func (s State) Check(m Move, name string) error {
	switch {
	case s.Can(m):
		return nil
	case m == Retry:
		return snag.Refuse("not_ended", "%s is %s: %s", name, s, expected[m])
	case m == Cancel && s.Ended():
		return snag.Refuse("ended", "%s is %s already: %s", name, s, expected[m])
	}
	return snag.Refuse("under_way", "%s is %s: %s", name, s, expected[m])
}
