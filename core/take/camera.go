package take

import (
	"regexp"
	"strings"
)

var (
	clipOfRoll = regexp.MustCompile(`^([A-Za-z]{1,3})\d{3,4}_?[Cc]\d{3,4}`)
	lastNumber = regexp.MustCompile(`[-_. ]*\d+$`)
)

// Camera names the camera that a clip comes from by the clip's name: what stands before the roll and the
// clip's number (A003C012 is camera A), else all but the number at the end (CAM_B_0031 is CAM_B).
func Camera(name string) string {
	if m := clipOfRoll.FindStringSubmatch(name); m != nil {
		return strings.ToUpper(m[1])
	}
	if s := lastNumber.ReplaceAllString(name, ""); s != "" {
		return s
	}
	return name
}
