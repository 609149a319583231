package naming_test

import (
	"fmt"

	"zestyloom/core/naming"
)

// A field that is empty takes the separator before it along; what no file system takes is replaced.
func ExampleExpand() {
	pattern := "{scene}-{take}_{label}"
	for _, label := range []string{"Lav Ines", "", "Boom/2"} {
		name, err := naming.Expand(pattern, map[string]string{"scene": "21A", "take": "3", "label": label})
		fmt.Println(name, err)
	}
	// Output:
	// 21A-3_Lav Ines <nil>
	// 21A-3 <nil>
	// 21A-3_Boom-2 <nil>
}
