//go:build !race

package app_test

// racing reports whether the race detector is at work, which makes everything several times as slow, each thing by another factor.
const racing = false
