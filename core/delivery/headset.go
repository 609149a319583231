package delivery

import (
	"path"

	"zestyloom/core/picture"
)

// headset works out how the picture is marked to be seen with a headset: as it is, or as the spec asks where it is not.
func (p *Plan) headset(info *picture.Info) {
	pic := *p.Order.Picture
	is := info.Picture.Headset
	pic.Headset, pic.Mark = is, false
	if (p.Order.Spec.Headset != Headset{}) {
		want := p.Order.Spec.Headset.mark()
		switch {
		case is == nil:
			pic.Headset, pic.Mark = &want, true
		case !is.Same(want):
			p.problem(true, "delivery", "headset_differs", "%s is marked to be seen as %s, and the spec asks for %s", pic.Name, is, want)
		}
	}
	p.Order.Picture = &pic
	for _, f := range p.Files {
		switch {
		case !p.Pictures(f) || pic.Headset == nil:
		case !Containers[f.Container].Fields:
			p.problem(false, "delivery", "headset_lost", "%s says how it is seen with a headset (%s), which %s does not keep", pic.Name, is, path.Base(f.Name))
		case pic.Mark:
			p.problem(false, "delivery", "headset_marked", "%s does not say how it is seen with a headset: the picture of %s is marked as the spec asks, %s", pic.Name, path.Base(f.Name), pic.Headset)
		}
	}
}

// headset compares how the picture of a file is marked with what was ordered, and with its original, box by box.
func (fp *FileProof) headset(p Plan, f File, made, with string) error {
	want := p.Order.Picture.Headset
	if !Containers[f.Container].Fields {
		return nil
	}
	is, err := picture.ReadHeadset(made)
	if err != nil {
		return err
	}
	says := func(h *picture.Headset) string {
		if h == nil {
			return "nothing"
		}
		return h.String()
	}
	if want != nil || is != nil {
		fp.check("picture, as it is seen with a headset (st3d, sv3d)", says(want), says(is))
	}
	if want == nil || is == nil || p.Order.Picture.Mark {
		return nil
	}
	was, err := picture.ReadHeadset(with)
	if err != nil {
		return err
	}
	fp.check("its marks, byte for byte", true, was != nil && was.SameBoxes(*is))
	return nil
}
