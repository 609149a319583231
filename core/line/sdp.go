package line

import (
	"fmt"
	"net/netip"
	"strconv"
	"strings"

	"github.com/pion/sdp/v3"

	"zestyloom/core/snag"
	"zestyloom/core/timecode"
)

// Session is what is sent together.
type Session struct {
	Name    string
	ID      uint64 // of the session, the same while it lasts
	Version uint64 // greater with each change
	From    netip.Addr
	Rate    timecode.Rate // that its timecode counts in
	Streams []Stream
}

// Attributes of ours, which others pass over as RFC 8866 asks.
const (
	rateAttribute    = "timecode-rate"
	channelAttribute = "channel-name"
)

// SDP describes a session. All streams have one clock, the sender's own (RFC 7273), at whose beginning, midnight, timestamps are 0.
func (s Session) SDP() ([]byte, error) {
	d := sdp.SessionDescription{
		Origin:           sdp.Origin{Username: "-", SessionID: s.ID, SessionVersion: s.Version, NetworkType: "IN", AddressType: family(s.From), UnicastAddress: s.From.String()},
		SessionName:      sdp.SessionName(cleaned(s.Name)),
		TimeDescriptions: []sdp.TimeDescription{{}},
		Attributes:       []sdp.Attribute{{Key: rateAttribute, Value: s.Rate.String()}},
	}
	for _, st := range s.Streams {
		payload := strconv.Itoa(int(st.Payload))
		title := sdp.Information(st.String())
		m := &sdp.MediaDescription{
			MediaName:             sdp.MediaName{Media: "audio", Port: sdp.RangedPort{Value: st.Port}, Protos: []string{"RTP", "AVP"}, Formats: []string{payload}},
			MediaTitle:            &title,
			ConnectionInformation: &sdp.ConnectionInformation{NetworkType: "IN", AddressType: family(st.Address), Address: &sdp.Address{Address: st.Address.String()}},
			Attributes: []sdp.Attribute{
				{Key: "rtpmap", Value: fmt.Sprintf("%s L24/%d/%d", payload, Rate, len(st.Channels))},
				{Key: "ptime", Value: "1"}, {Key: "sendonly"},
				{Key: "ts-refclk", Value: "local"}, {Key: "mediaclk", Value: "direct=0"},
			},
		}
		if st.SSRC != nil {
			m.Attributes = append(m.Attributes, sdp.Attribute{Key: "ssrc", Value: fmt.Sprintf("%d cname:%s", *st.SSRC, s.From)})
		}
		if st.Source.IsValid() {
			m.Attributes = append(m.Attributes, sdp.Attribute{Key: "source-filter", Value: fmt.Sprintf(" incl IN %s %s %s", family(st.Source), st.Address, st.Source)})
		}
		if st.Address.IsMulticast() && st.Address.Is4() {
			ttl := 1 // no further than the network that it is sent on
			m.ConnectionInformation.Address.TTL = &ttl
		}
		for i, name := range st.Channels {
			m.Attributes = append(m.Attributes, sdp.Attribute{Key: channelAttribute, Value: fmt.Sprintf("%d %s", i+1, cleaned(name))})
		}
		d.MediaDescriptions = append(d.MediaDescriptions, m)
	}
	return d.Marshal()
}

func family(a netip.Addr) string {
	if a.Is4() {
		return "IP4"
	}
	return "IP6"
}

// cleaned is a name on one line, never empty.
func cleaned(name string) string {
	name = strings.Join(strings.FieldsFunc(name, func(r rune) bool { return r < ' ' || r == 0x7f }), " ")
	if strings.TrimSpace(name) == "" {
		return "-"
	}
	return name
}

// ParseSDP reads a description, ours or another's. Streams that are no linear PCM of 24 bits at Rate are refused, as is what has none;
// channels that are not named are named by their numbers, and a rate that is not given is 25.
func ParseSDP(text []byte) (Session, error) {
	var d sdp.SessionDescription
	if err := d.Unmarshal(text); err != nil {
		return Session{}, snag.Refuse("bad_description", "no session description (SDP, RFC 8866): %v", err)
	}
	s := Session{Name: string(d.SessionName), ID: d.Origin.SessionID, Version: d.Origin.SessionVersion, Rate: timecode.Rate{Num: 25, Den: 1}}
	s.From, _ = netip.ParseAddr(d.Origin.UnicastAddress)
	if v, ok := d.Attribute(rateAttribute); ok {
		rate, err := timecode.ParseRate(v)
		if err != nil {
			return Session{}, snag.Refuse("bad_description", "%s: %w", rateAttribute, err)
		}
		s.Rate = rate
	}
	channels := 0
	for i, m := range d.MediaDescriptions {
		st, err := stream(d, m, channels)
		if err != nil {
			return Session{}, snag.Refuse("bad_description", "stream %d: %w", i+1, err)
		}
		channels += len(st.Channels)
		s.Streams = append(s.Streams, st)
	}
	if channels == 0 || channels > Most {
		return Session{}, snag.Refuse("bad_description", "%d channels: 1 to %d were expected", channels, Most)
	}
	return s, nil
}

// sources reads who sends a stream: one source of it (RFC 5576), and one address (RFC 4570).
func (s *Stream) sources(all []sdp.Attribute) error {
	for _, a := range all {
		words := strings.Fields(a.Value)
		switch {
		case a.Key == "ssrc" && len(words) > 0:
			n, err := strconv.ParseUint(words[0], 10, 32)
			if err != nil || s.SSRC != nil && *s.SSRC != uint32(n) {
				return fmt.Errorf("a=ssrc:%s: one source, a number of 32 bits, was expected", a.Value)
			}
			one := uint32(n)
			s.SSRC = &one
		case a.Key == "source-filter" && len(words) >= 5 && words[0] == "incl":
			from, err := netip.ParseAddr(words[4])
			if err != nil || len(words) > 5 {
				return fmt.Errorf("a=source-filter:%s: one address that it is sent from was expected", a.Value)
			}
			s.Source = from
		}
	}
	return nil
}

func stream(d sdp.SessionDescription, m *sdp.MediaDescription, first int) (Stream, error) {
	s := Stream{Port: m.MediaName.Port.Value, First: first}
	if m.MediaName.Media != "audio" || strings.Join(m.MediaName.Protos, "/") != "RTP/AVP" || len(m.MediaName.Formats) != 1 {
		return s, fmt.Errorf("it is %s over %s: audio over RTP/AVP in one format was expected", m.MediaName.Media, strings.Join(m.MediaName.Protos, "/"))
	}
	payload, err := strconv.ParseUint(m.MediaName.Formats[0], 10, 7)
	if err != nil {
		return s, fmt.Errorf("payload type %q is none from 0 to 127", m.MediaName.Formats[0])
	}
	s.Payload = uint8(payload)
	if s.Port < 1 || s.Port > 65535 {
		return s, fmt.Errorf("port %d is none", s.Port)
	}
	c := m.ConnectionInformation
	if c == nil {
		c = d.ConnectionInformation
	}
	if c == nil || c.Address == nil {
		return s, fmt.Errorf("it has no address (a line c=)")
	}
	address, _, _ := strings.Cut(c.Address.Address, "/") // without how far a group reaches
	if s.Address, err = netip.ParseAddr(address); err != nil {
		return s, fmt.Errorf("%q is no address", c.Address.Address)
	}
	n := 0
	for _, a := range m.Attributes {
		of, format, ok := strings.Cut(a.Value, " ")
		if a.Key != "rtpmap" || !ok || of != m.MediaName.Formats[0] {
			continue
		}
		parts := strings.Split(format, "/")
		if n = 1; len(parts) == 3 {
			n, _ = strconv.Atoi(parts[2])
		}
		if len(parts) < 2 || len(parts) > 3 || !strings.EqualFold(parts[0], "L24") || parts[1] != strconv.Itoa(Rate) || n < 1 || n > MostOfStream {
			return s, fmt.Errorf("its format is %s: L24/%d of 1 to %d channels was expected", format, Rate, MostOfStream)
		}
	}
	if n == 0 {
		return s, fmt.Errorf("nothing says what payload type %d is (a line a=rtpmap)", payload)
	}
	for i := range n {
		s.Channels = append(s.Channels, strconv.Itoa(first+i+1))
	}
	if err := s.sources(m.Attributes); err != nil {
		return s, err
	}
	for _, a := range m.Attributes {
		if at, name, ok := strings.Cut(a.Value, " "); a.Key == channelAttribute && ok {
			if i, err := strconv.Atoi(at); err == nil && i >= 1 && i <= n {
				s.Channels[i-1] = name
			}
		}
	}
	return s, nil
}
