package demo

// CutLists are the demonstration's, for tests.
var CutLists = cutLists
