#!/usr/bin/env bash
# The whole job over HTTP, without a browser: a recorder's file goes in, a proven delivery comes out.
#
#   docs/examples/whole-job.sh http://127.0.0.1:8080 21A-T03.wav out MixL=- MixR=- Boom=DX "Lav Ines=DX" Score=MX Ferry=FX
#
# After the address, the file and the folder to write into stand the labels of the file's channels in order, each with the
# stem that it goes to; - leaves it off on purpose. Needs curl and jq.
set -euo pipefail
url=$1 file=$2 out=$3
shift 3

# api METHOD PATH [JSON]: one request. A problem (RFC 9457) is printed as the server says it, and ends the script.
api() {
	local answer status
	answer=$(curl -sS -X "$1" "$url$2" -H 'Content-Type: application/json' ${3:+--data-binary "$3"} -w '\n%{http_code}')
	status=${answer##*$'\n'} answer=${answer%$'\n'*}
	if [ "$status" -ge 400 ]; then
		jq -r '"\(.code): \(.detail)"' <<<"$answer" >&2
		return 1
	fi
	printf '%s' "$answer"
}
# until_is WORDS PATH FILTER: asks one address again and again until a filter of the answer is true.
until_is() {
	for _ in $(seq 1200); do
		if api GET "$2" | jq -e "$3" >/dev/null; then return; fi
		sleep 0.2
	done
	echo "waited too long: $1" >&2
	return 1
}

echo "1. Make a production."
production=$(api POST /api/productions '{"name":"Lantern Ferry","episode":"Ep 2","sample_rate":48000,"timecode_rate":"25","start_timecode":"10:00:00:00"}' | jq -r .id)

echo "2. Send the file (tus 1.0.0: begin, then its bytes)."
meta="filename $(basename "$file" | tr -d '\n' | base64 -w0),production $(printf %s "$production" | base64 -w0)"
place=$(curl -sS -D - -o /dev/null -X POST "$url/api/uploads/" -H 'Tus-Resumable: 1.0.0' -H "Upload-Length: $(stat -c %s "$file")" -H "Upload-Metadata: $meta" | tr -d '\r' | sed -n 's/^[Ll]ocation: //p')
case $place in http*) ;; *) place=$url$place ;; esac
curl -sS -f -o /dev/null -X PATCH "$place" -H 'Tus-Resumable: 1.0.0' -H 'Upload-Offset: 0' -H 'Content-Type: application/offset+octet-stream' --data-binary @"$file"

echo "3. Wait until it has been read."
until_is "the file is read" "/api/productions/$production/files" '.items | length == 1 and all(.state == "ready" or .state == "refused")'

echo "4. Label the channels."
take=$(api GET "/api/productions/$production/takes" | jq -c '.items[0]')
n=0
for word in "$@"; do
	strand=$(jq -c ".strands[$n]" <<<"$take")
	api PATCH "/api/strands/$(jq -r .id <<<"$strand")" "$(jq -nc --arg name "${word%%=*}" --argjson s "$strand" '{"label": $name, was: $s.label}')" >/dev/null
	n=$((n + 1))
done

echo "5. Lay the take into the reel."
reel=$(api GET "/api/productions/$production/reel" | jq -r .id)
api POST "/api/reels/$reel/takes" "$(jq -nc --argjson t "$take" '{takes: [$t.id]}')" >/dev/null

echo "6. Weave by a template, and send each track to its stem."
template=$(api GET /api/weave-templates | jq -c '.[] | select(.template.name == "Stereo stems and full mix") | .template')
now=$(api GET "/api/reels/$reel")
api POST "/api/reels/$reel/edits" "$(jq -nc --argjson v "$(jq .version <<<"$now")" --argjson t "$template" '{version: $v, what: "weave by a template", actions: [{weave: {use: {template: $t}}}]}')" >/dev/null
now=$(api GET "/api/reels/$reel")
actions='[]'
for word in "$@"; do
	label=${word%%=*} stem=${word#*=}
	actions=$(jq -c --arg name "$label" --arg stem "$stem" --argjson doc "$(jq .doc <<<"$now")" '
		. + [$doc.tracks[] | select(.label == $name) | . as $t
			| if $stem == "-" then {set_track: {id: $t.id, off: true}}
			  else {set_sends: {from: $t.id, sends: [{to: ($doc.weave.buses[] | select(.name == $stem) | .id), gain_db: 0, patch: {preset: "both"}}]}} end]' <<<"$actions")
done
api POST "/api/reels/$reel/edits" "$(jq -nc --argjson v "$(jq .version <<<"$now")" --argjson a "$actions" '{version: $v, what: "send the tracks", actions: $a}')" >/dev/null

echo "7. Hold the reel against a specification, and look what stands in the way."
spec=$(api GET /api/specs | jq -r '.[] | select(.spec.name == "Stereo stems and full mix") | .id')
api PUT "/api/reels/$reel/spec" "{\"spec\":\"$spec\"}" >/dev/null
api POST "/api/reels/$reel/preflight" "{\"spec\":\"$spec\"}" | jq -r '.findings[] | "   \(.message)"'

echo "8. Order it, with what is in the way and is to be so, and follow it at its one address."
accept=$(api POST "/api/reels/$reel/preflight" "{\"spec\":\"$spec\"}" | jq -c '[.findings[] | select(.asks) | .code] | unique')
delivery=$(api POST "/api/reels/$reel/deliveries" "{\"spec\":\"$spec\",\"accept\":$accept}" | jq -r .id)
until_is "the delivery is made" "/api/deliveries/$delivery" '.state == "proven" or .state == "failed"'

echo "9. Read the proof, and fetch everything."
mkdir -p "$out"
api GET "/api/deliveries/$delivery" >"$out/delivery.json"
jq -e '.state == "proven"' "$out/delivery.json" >/dev/null || { jq -r '.error.message, .failures[]' "$out/delivery.json" >&2; exit 1; }
jq -r '.proof.sums[] | "   \(.says)"' "$out/delivery.json"
jq -r '.proof.files[] | "   \(.name): \(.checks | length) facts, \(.channels | length) channels, xxh64 \(.hash)"' "$out/delivery.json"
curl -sS -f -o "$out/delivery.zip" "$url/api/deliveries/$delivery/all.zip"
echo "   $out/delivery.zip"
