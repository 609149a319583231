import { execFileSync } from "node:child_process";
import { mkdirSync, readFileSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { expect, type Page } from "@playwright/test";

const labels = [
  "MixL",
  "MixR",
  "Boom",
  "Lav Ines",
  "Lav Odell",
  "Plant wheelhouse",
  "Lav Marit",
  "A label of forty letters, no fewer, here",
];

/** Writes recordings of eight channels and a tenth of a second, each a take of its own. */
export function recordings(folder: string, count: number): string[] {
  mkdirSync(folder, { recursive: true });
  const names: string[] = [];
  const frames = 4800;
  for (let n = 0; n < count; n++) {
    const tracks = labels
      .map(
        (l, i) =>
          `<TRACK><CHANNEL_INDEX>${i + 1}</CHANNEL_INDEX><INTERLEAVE_INDEX>${i + 1}</INTERLEAVE_INDEX><NAME>${l}</NAME></TRACK>`,
      )
      .join("");
    const text = `<?xml version="1.0" encoding="UTF-8"?><BWFXML><PROJECT>Many</PROJECT><SCENE>${Math.floor(n / 8) + 1}</SCENE><TAKE>${(n % 8) + 1}</TAKE><TAPE>R${Math.floor(n / 100)}</TAPE><CIRCLED>${n % 5 === 0 ? "TRUE" : "FALSE"}</CIRCLED><TRACK_LIST>${tracks}</TRACK_LIST></BWFXML>`;
    const ixml = Buffer.from(text.padEnd(text.length + (text.length % 2), " "));
    const bext = Buffer.alloc(602);
    bext.write("2026-03-14", 320);
    bext.writeBigUInt64LE(BigInt((6 * 3600 + n * 40) * 48000), 338);
    bext.writeUInt16LE(1, 346);
    const data = Buffer.alloc(frames * 24);
    let x = n + 1;
    for (let i = 0; i < data.length; i += 3) {
      x = (Math.imul(x, 1103515245) + 12345) >>> 0; // noise, a different one in each
      data.writeIntLE((x >> 12) % 400000, i, 3);
    }
    const fmt = Buffer.alloc(16);
    fmt.writeUInt16LE(1, 0);
    fmt.writeUInt16LE(8, 2);
    fmt.writeUInt32LE(48000, 4);
    fmt.writeUInt32LE(48000 * 24, 8);
    fmt.writeUInt16LE(24, 12);
    fmt.writeUInt16LE(24, 14);
    const chunk = (id: string, body: Buffer) => {
      const size = Buffer.alloc(4);
      size.writeUInt32LE(body.length);
      return Buffer.concat([Buffer.from(id), size, body]);
    };
    const body = Buffer.concat([
      Buffer.from("WAVE"),
      chunk("fmt ", fmt),
      chunk("bext", bext),
      chunk("iXML", ixml),
      chunk("data", data),
    ]);
    const name = `M${String(n).padStart(4, "0")}.wav`;
    writeFileSync(join(folder, name), chunk("RIFF", body));
    names.push(name);
  }
  return names;
}

/** Makes a production by itself and opens it. */
export async function newProduction(page: Page, url: string, name: string): Promise<string> {
  const made = await page.request.post(`${url}/api/productions`, { data: { name, timecode_rate: "25" } });
  const { id } = await made.json();
  return id;
}

/** Takes files of the shelf in and waits until all are read. */
export async function takeIn(page: Page, url: string, production: string, paths: string[], wait = true) {
  const got = await page.request.post(`${url}/api/productions/${production}/shelf`, {
    data: { paths, in_place: true },
  });
  expect(got.status()).toBe(202);
  if (!wait) return;
  await expect
    .poll(
      async () => {
        const list = await (await page.request.get(`${url}/api/productions/${production}/takes?limit=1`)).json();
        return list.total;
      },
      { timeout: 600_000, intervals: [1000] },
    )
    .toBe(paths.length);
}

/** Makes of the one take of a production as many as are asked for, row by row in the database: all of the same sound. */
export function copies(home: string, production: string, count: number) {
  const folder = join(home, "postgres");
  const port = readFileSync(join(folder, "cluster", "postmaster.pid"), "utf8").split("\n")[3];
  const psql = (sql: string) =>
    execFileSync(
      "psql",
      ["-qAt", "-v", "ON_ERROR_STOP=1", "-h", "127.0.0.1", "-p", port ?? "", "-U", "zestyloom", "-c", sql],
      {
        env: { ...process.env, PGPASSWORD: readFileSync(join(folder, "password"), "utf8").trim() },
      },
    )
      .toString()
      .trim();
  const id = (kind: number, n: string) =>
    `('${production.slice(0, 8)}-000${kind}-7000-8000-' || lpad(to_hex(${n}), 12, '0'))::uuid`;
  const from = `(SELECT * FROM takes WHERE production_id = '${production}')`;
  const tables: [string, Record<string, string>, string][] = [
    ["files", { id: id(1, "n"), name: "'M' || n || '.wav'", hash: "n::text" }, `production_id = '${production}'`],
    [
      "takes",
      { id: id(2, "n"), name: "'M' || n", scene: "(n / 8)::text", take: "(n % 8)::text" },
      `production_id = '${production}'`,
    ],
    [
      "strands",
      { id: id(3, "n * 8 + position"), take_id: id(2, "n"), file_id: id(1, "n") },
      `take_id IN (SELECT id FROM ${from} t)`,
    ],
  ];
  const statements = tables.map(([table, changes, which]) => {
    const columns = psql(
      `SELECT string_agg(quote_ident(column_name), ',') FROM information_schema.columns WHERE table_name = '${table}' AND is_generated = 'NEVER'`,
    ).split(",");
    const values = columns.map((c) => changes[c.replaceAll('"', "")] ?? c);
    return `CREATE TEMP TABLE was_${table} AS SELECT * FROM ${table} WHERE ${which}; INSERT INTO ${table} (${columns}) SELECT ${values} FROM was_${table}, generate_series(2, ${count}) n;`;
  });
  // What is copied is looked for before anything is.
  const [made, filled] = [statements.map((s) => s.split("; ")[0]), statements.map((s) => s.split("; ")[1])];
  psql(`${made.join("; ")}; ${filled.join(" ")} ANALYZE;`);
}
