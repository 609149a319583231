package delivery

import "zestyloom/core/loudness"

// ThreeStereoStems is the spec that is used where none is chosen: dialogue, music and effects as stereo stems on six
// channels.
func ThreeStereoStems() Spec {
	pattern := "{production}_{episode}_{reel}_STEMS_{number}_{output}"
	s := shipped("Stem master, three stereo stems", "Dialogue, music and effects as stereo pairs on outputs 1 to 6, 24-bit 48 kHz WAV, in one file of six channels or as six mono files.", "Stereo stems DX MX FX", polyOf(pattern), monoOf(pattern))
	s.Outputs = []string{"DX L", "DX R", "MX L", "MX R", "FX L", "FX R"}
	return s
}

// shipped is a spec of 24 bits at 48 kHz, of the reel's length, with all papers.
func shipped(name, description, template string, packings ...Packing) Spec {
	return Spec{
		Format: SpecFormat, Version: 1, Name: name, Description: description, Source: "comes with the program", Template: template,
		SampleRate: 48000, Coding: "s24", Packings: packings, Programme: Programme{Length: "reel"}, Papers: Paperwork,
	}
}

// Shipped are the specs that come with the program, named by what they are.
func Shipped() []Spec {
	const base = "{production}_{episode}_{reel}"
	one := func(says string, rules ...FileRule) Packing { return Packing{ID: "files", Says: says, Files: rules} }
	wav := func(pattern string, groups ...Group) FileRule {
		return FileRule{Groups: groups, Container: "wav", Name: base + pattern}
	}
	limits := func(of, name string) []Asked { return []Asked{{of, loudness.Known()[name]}} }

	six := shipped("Picture with six channels in four streams", "A QuickTime file with four sound streams: the full mix on channels 1 and 2, dialogue on 3, narration on 4, music on 5 and 6. The picture goes along untouched where one is chosen.",
		"Full mix, DX, VO, MX on six channels", one("one picture file, streams 2+1+1+2", FileRule{Container: "mov", Name: base, Groups: []Group{
			{Layout: "stereo", Bus: "Full mix"}, {Layout: "mono", Bus: "DX"}, {Layout: "mono", Bus: "VO"}, {Layout: "stereo", Bus: "MX"},
		}}))

	stems := shipped("Stereo stems and full mix", "Three stereo stems and the full mix, a stereo file each, or one file of eight channels.", "Stereo stems and full mix",
		one("a stereo file a stem and the mix", FileRule{Each: EachStem, Layout: "stereo", Container: "wav", Name: base + "_{stem}_{version}"}, wav("_{bus}_{version}", Group{Layout: "stereo", Bus: "Full mix"})),
		polyOf(base+"_STEMS-MIX_{version}"))

	languages := shipped("Two languages", "Narration in two languages, dialogue, music and effects, a full mix for each language, and music with effects: a stereo file each, with a 2-pop.",
		"Two languages, MX, FX, M&E", one("a stereo file a stem and a mix",
			FileRule{Each: EachStem, Layout: "stereo", Container: "wav", Name: base + "_{stem}_{version}"},
			FileRule{Each: EachMix, Layout: "stereo", Container: "wav", Name: base + "_{bus}_{version}"}))
	for _, bus := range []string{"VO EN", "VO PT", "DX", "MX", "FX", "Full mix EN", "Full mix PT", "M&E"} {
		languages.Outputs = append(languages.Outputs, bus+" L", bus+" R")
	}
	languages.Programme = Programme{Length: "reel", WholeFrames: true, Before: []Segment{{What: "silence", Seconds: 4}}, Pop: &Pop{LevelDBFS: -18, Tail: true}, After: []Segment{{What: "silence", Seconds: 4}}}
	languages.Names = Names{Letters: "plain", Most: 120}

	eight := shipped("5.1 and stereo on eight channels", "The 5.1 full mix on channels 1 to 6 in broadcast order, and its stereo fold-down on 7 and 8, in one file.", "5.1 and stereo on eight channels",
		one("one file of eight channels", wav("_51-20", Group{Layout: "5.1", Bus: "Full mix 5.1"}, Group{Layout: "stereo", Bus: "Full mix stereo"})))

	discrete := shipped("Discrete 5.1 with speaker suffixes", "The 5.1 full mix as six mono files, each with its speaker at the end of its name.", "5.1 and stereo on eight channels",
		one("six mono files", FileRule{Groups: []Group{{Layout: "5.1", Bus: "Full mix 5.1"}}, Split: true, Container: "wav", Name: base + "_MIX51.{speaker}"}))

	mande := shipped("M&E", "Music with effects, as one stereo file.", "Stereo stems and M&E", one("one stereo file", wav("_ME", Group{Layout: "stereo", Bus: "M&E"})))

	split := shipped("Split-track mono", "Dialogue, music and effects as a mono file each.", "Mono split DX MX FX",
		one("a mono file a stem", FileRule{Each: EachStem, Layout: "mono", Container: "wav", Name: base + "_{stem}"}))

	parts := shipped("A file a part", "Every part of every stem by itself, in the layout that it has.", "",
		one("a file a part", FileRule{Each: EachPart, Container: "wav", Name: base + "_{stem}_{part}"}))

	characters := shipped("Mono stems a character", "Every part of dialogue and narration as a mono file.", "",
		one("a mono file a character", FileRule{Each: EachPart, Kinds: []string{"DX", "VO"}, Layout: "mono", Container: "wav", Name: base + "_{stem}_{part}"}))

	r128 := shipped("R 128 stereo", "The stereo full mix at -23 LUFS and at most -1 dBTP (EBU R 128), with its loudness in the file.", "Stereo stems and full mix",
		one("one stereo file", wav("_MIX_{version}", Group{Layout: "stereo", Bus: "Full mix"})))
	r128.Source, r128.Limits, r128.Metadata = "EBU R 128, EBU Tech 3285", limits("mixes", "r128"), Metadata{Loudness: true, Mask: true}

	a85 := shipped("A/85 5.1", "The 5.1 full mix at -24 LKFS and at most -2 dBTP (ATSC A/85), after line-up tone and a 2-pop.", "5.1 stems and 5.1 mix",
		one("one file of six channels", wav("_MIX51_{version}", Group{Layout: "5.1", Bus: "Full mix"})))
	a85.Source, a85.Limits, a85.Metadata = "ATSC A/85, SMPTE RP 155", limits("mixes", "a85"), Metadata{Mask: true}
	a85.Programme = Programme{Length: "reel", Before: []Segment{{What: "tone", Seconds: 10, LevelDBFS: -20}, {What: "silence", Seconds: 5}}, Pop: &Pop{LevelDBFS: -20}}

	tracks := shipped("Editorial handover", "Every track of the reel as a file of its own, all of the same start and the same length.", "",
		one("a file a track", FileRule{Each: EachTrack, Container: "wav", Name: base + "_{number}_{track}"}))

	own := shipped("The outputs as they are", "All outputs of the reel, as many as it has and as they are named, in one file or a mono file each.", "",
		polyOf(base+"_{version}"), monoOf(base+"_{number}_{output}_{version}"))

	described := shipped("The outputs, described (BW64 with ADM)", "All outputs of the reel in one BW64 file that says by the audio definition model (ITU-R BS.2076) which bed or sound field each channel is of, where it stands, and what is heard in it.", "",
		one("one described file", FileRule{Container: "bw64", Name: base + "_{version}"}))
	described.Metadata = Metadata{ADM: true}

	field := shipped("Sound field and head-locked pair in one stream", "A QuickTime file whose sound stream holds an ambisonic field (first order, ACN, SN3D) and the stereo pair that does not turn with it, marked as what they are (SA3D). The picture goes along untouched where one is chosen.",
		"First-order ambisonic and head-locked stereo", one("one file, a stream of 4 + 2 channels", FileRule{Container: "mov", Name: base + "_FIELD", Groups: []Group{
			{Layout: "ambisonic 1 SN3D", Bus: "Field"}, {Layout: "stereo", Bus: "Head-locked", HeadLocked: true},
		}}))

	cut := shipped("Cut-down with its picture", "A span of the reel with its picture, all of the same edges: a first-order sound field and its head-locked pair in one stream and every other stem in one of its own, or each in a file.",
		"First-order ambisonic and head-locked stereo",
		Packing{ID: "together", Says: "one file with the picture", Files: []FileRule{{Container: "mov", Name: base + "_{from}-{to}", Groups: []Group{
			{Layout: "ambisonic 1 SN3D", Bus: "Field"}, {Layout: "stereo", Bus: "Head-locked", HeadLocked: true}, {Each: EachStem},
		}}}},
		Packing{ID: "stems", Says: "apart: a file a stem, and the picture", Files: []FileRule{{Each: EachStem, Container: "wav", Name: base + "_{from}-{to}_{stem}"}, {Container: "mov", Picture: PictureAlone, Name: base + "_{from}-{to}_PICTURE"}}},
		Packing{ID: "tracks", Says: "apart: a file a track, and the picture", Files: []FileRule{{Each: EachTrack, Container: "wav", Name: base + "_{from}-{to}_{number}_{track}"}, {Container: "mov", Picture: PictureAlone, Name: base + "_{from}-{to}_PICTURE"}}})
	cut.Programme.WholeFrames, cut.Recode = true, Recode{Codec: "h264"}

	return []Spec{ThreeStereoStems(), six, stems, languages, eight, discrete, mande, split, parts, characters, r128, a85, tracks, own, described, field, cut}
}
