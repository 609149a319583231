// The deck's page: what it receives, as it comes.

const $ = (id) => document.getElementById(id);
const reading = (v, unit) => (v === null || v === undefined ? "–" : `${v.toFixed(1).replace("-", "−")} ${unit}`);

/** Asks the deck; what it refuses is said. */
async function ask(method, path, body) {
  const answer = await fetch(path, {
    method,
    headers: body ? { "Content-Type": "application/json" } : {},
    body: body && JSON.stringify(body),
  });
  const v = await answer.json();
  if (!answer.ok) throw new Error(v.message ?? answer.statusText);
  return v;
}

async function doing(what) {
  try {
    await what();
    $("said").textContent = "";
  } catch (e) {
    $("said").textContent = e.message;
  }
}

$("record").addEventListener("submit", (e) => {
  e.preventDefault();
  const order = { name: $("name").value, from_timecode: $("from").value, to_timecode: $("to").value };
  void doing(() => ask("POST", "/recordings", order));
});
$("end").addEventListener("click", () => void doing(() => ask("POST", "/recordings/end", {})));
$("loudness").addEventListener("submit", (e) => {
  e.preventDefault();
  void doing(() => ask("PUT", "/loudness", { first: Number($("first").value), layout: $("layout").value }));
});

const top = 8; // px above the scale
const tall = 200; // px of the scale
const foot = 40; // px below it, for names
const left = 36; // px of the marks
const lowest = -60; // dBFS

/** Where a level lies, in px from the top. */
const y = (db) => top + (Math.max(lowest, Math.min(0, db)) / lowest) * tall;

/** A name, or as much of its end as there is room for: that is where names of outputs differ. */
function fitting(c, name, room) {
  if (c.measureText(name).width <= room) return name;
  let from = 1;
  while (from < name.length && c.measureText(`…${name.slice(from)}`).width > room) from++;
  return from < name.length ? `…${name.slice(from)}` : name.slice(-1);
}

function draw(channels) {
  const canvas = $("meters");
  const wide = canvas.clientWidth;
  const each = Math.max(18, Math.min(116, Math.floor((wide - left) / Math.max(1, Math.min(channels.length, 32)))));
  const row = Math.max(1, Math.floor((wide - left) / each));
  const rows = Math.ceil(channels.length / row);
  const high = rows * (top + tall + foot);
  const dpr = window.devicePixelRatio || 1;
  if (canvas.width !== Math.round(wide * dpr) || canvas.height !== Math.round(high * dpr)) {
    canvas.width = Math.round(wide * dpr);
    canvas.height = Math.round(high * dpr);
    canvas.style.height = `${high}px`;
  }
  const c = canvas.getContext("2d");
  const style = getComputedStyle(document.documentElement);
  const ink = (name) => style.getPropertyValue(name);
  c.setTransform(dpr, 0, 0, dpr, 0, 0);
  c.clearRect(0, 0, wide, high);
  c.font = "12px Recursive, sans-serif";
  for (let r = 0; r < rows; r++) {
    const at = r * (top + tall + foot);
    c.textAlign = "right";
    c.textBaseline = "middle";
    // Marks of a type IIa meter: 4 dB apart, mark 4 at −18 dBFS.
    for (let mark = 1; mark <= 7; mark++) {
      const here = at + y(-18 + (mark - 4) * 4);
      c.fillStyle = ink("--line");
      c.fillRect(left, here, Math.min(row, channels.length - r * row) * each, mark === 4 ? 2 : 1);
      c.fillStyle = ink("--quiet");
      c.fillText(String(mark), left - 8, here);
    }
  }
  channels.forEach((ch, i) => {
    const x = left + (i % row) * each;
    const at = Math.floor(i / row) * (top + tall + foot);
    const width = Math.min(38, each - 6);
    c.fillStyle = ink("--raised");
    c.fillRect(x, at + top, width, tall);
    if (ch.ppm !== null) {
      c.fillStyle = ink("--good");
      const from = at + y(ch.ppm);
      // Woven: rows of thread, not one block.
      for (let row = at + top + tall - 3; row >= from; row -= 4) c.fillRect(x, row, width, 3);
    }
    if (ch.peak !== null) {
      c.fillStyle = ink("--ink");
      c.fillRect(x, at + y(ch.peak), width, 1);
    }
    if (ch.held !== null) {
      c.fillStyle = ch.over ? ink("--bad") : ink("--quiet");
      c.fillRect(x, at + y(ch.held) - 1, width / 2, 2);
    }
    c.textAlign = "left";
    c.textBaseline = "top";
    c.fillStyle = ch.over ? ink("--bad") : ink("--ink");
    c.fillText(String(i + 1), x, at + top + tall + 4);
    c.fillStyle = ink("--quiet");
    c.fillText(fitting(c, ch.name, each - 8), x, at + top + tall + 20);
  });
  canvas.setAttribute(
    "aria-label",
    `Meters of the inputs: ${channels.map((ch, i) => `${i + 1} ${ch.name} ${reading(ch.ppm, "dB")}`).join(", ")}`,
  );
}

function show(s) {
  $("timecode").textContent = s.streams.length ? s.timecode : "--:--:--:--";
  const lost = s.streams.reduce((n, x) => n + x.Lost, 0);
  $("status").textContent = [
    s.running ? "running" : s.streams.length ? "nothing is coming" : "nothing to listen for",
    s.recording && `recording ${s.recording}`,
    lost ? `${lost} packets lost` : "",
  ]
    .filter(Boolean)
    .join(", ");
  $("status").className = lost ? "bad" : s.running ? "good" : "quiet";
  $("session").textContent = s.streams.length ? `${s.name}, ${s.rate} fps, ${s.channels.length} channels` : "";
  $("none").hidden = s.channels.length > 0;
  $("scale").hidden = s.channels.length === 0;
  draw(s.channels);
  $("streams").replaceChildren(
    ...s.streams.map((x) => {
      const row = document.createElement("tr");
      for (const [i, v] of [x.says, x.port, x.Packets, x.Lost, x.Late, x.Doubled, x.Strangers].entries()) {
        const cell = row.insertCell();
        cell.textContent = String(v);
        if (i > 1) cell.className = i > 2 && v > 0 ? "n bad" : "n";
      }
      return row;
    }),
  );
  $("refused").textContent = s.refused ? `Not taken in: ${s.refused}` : "";
  const l = s.loudness ?? {};
  $("momentary").textContent = reading(l.momentary, "LUFS");
  $("short").textContent = reading(l.short_term, "LUFS");
  $("integrated").textContent = reading(l.integrated, "LUFS");
  $("true").textContent = reading(l.true_peak, "dBTP");
}

function list(recordings) {
  if (recordings.length === 0) return;
  $("recordings").replaceChildren(
    ...recordings.map((r) => {
      const item = document.createElement("li");
      const name = document.createElement(r.state === "done" ? "a" : "span");
      name.textContent = r.name;
      if (r.state === "done") name.href = `/recordings/${r.id}/sound`;
      const says = document.createElement("div");
      says.className = "mono quiet";
      says.textContent = `${r.from_timecode} to ${r.to_timecode}, ${r.channels.length} ch`;
      says.title = `made ${r.id}`;
      const came = document.createElement("div");
      came.className = r.gaps.length || r.error ? "bad" : r.state === "done" ? "good" : "quiet";
      came.textContent =
        r.error ||
        (r.state !== "done"
          ? r.state
          : r.gaps.length
            ? `${r.gaps.length} gaps: ${r.gap_timecodes.slice(0, 4).join(", ")}${r.gaps.length > 4 ? " …" : ""}`
            : "nothing lost");
      if (r.broken) came.textContent += "; the deck was stopped while it was made";
      item.append(name, says, came);
      return item;
    }),
  );
}

let turn = 0;
async function look() {
  try {
    show(await ask("GET", "/state"));
    if (turn++ % 10 === 0) list(await ask("GET", "/recordings"));
  } catch {
    $("status").textContent = "the deck does not answer";
    $("status").className = "bad";
  }
  setTimeout(look, 50);
}
void look();
