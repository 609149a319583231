package media

// ReadUpload reads what a browser has said of an upload.
func ReadUpload(b []byte) (Upload, error) {
	var u Upload
	return u, u.read(b)
}
