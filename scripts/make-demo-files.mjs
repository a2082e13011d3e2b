// Draws the demo's pictures, sheets and e-mails: `node scripts/make-demo-files.mjs`. What it makes is committed; it is here so that it can be
// made again. The same numbers come out each time, the same bytes may not.
import { createWriteStream, mkdirSync, writeFileSync } from "node:fs";
import { finished } from "node:stream/promises";
import Pdf from "pdfkit";
import sharp from "sharp";

const at = (path) => new URL(`../demo/${path}`, import.meta.url);
for (const folder of ["gauges", "sheets", "inbox/march", "inbox/april"]) mkdirSync(at(folder), { recursive: true });
const csv = (rows) =>
  `${rows.map((row) => row.map((cell) => (/[",\n]/.test(String(cell)) ? `"${String(cell).replaceAll('"', '""')}"` : cell)).join(",")).join("\n")}\n`;

// Gauges: a dial with a needle, a plate with what it shows, a little tilt, some noise of the camera.
const GAUGES = [
  ["G-01", "MV Tern", "main engine", "OIL PRESSURE", 4.2, "bar", 1.5],
  ["G-02", "MV Tern", "fire pump", "PRESSURE", 7.8, "bar", -2],
  ["G-03", "MV Tern", "boiler", "TEMPERATURE", 86, "C", 2.5],
  ["G-04", "MV Skua", "main engine", "OIL PRESSURE", 3.6, "bar", -1],
  ["G-05", "MV Skua", "ramp hydraulics", "PRESSURE", 142, "bar", 3],
  ["G-06", "MV Skua", "fire pump", "PRESSURE", 6.4, "bar", 0.5],
  ["G-07", "MV Gannet", "main engine", "OIL PRESSURE", 2.1, "bar", -3],
  ["G-08", "MV Gannet", "cooling water", "TEMPERATURE", 78, "C", 1],
  ["G-09", "MV Gannet", "ramp hydraulics", "PRESSURE", 138, "bar", -2.5],
];
const TOPS = { 2: 10, 3: 200 };
for (const [id, , , what, value, unit, tilt] of GAUGES) {
  const top = value > 10 ? TOPS[3] : TOPS[2];
  const angle = -120 + (240 * value) / top;
  const ticks = Array.from({ length: 11 }, (_, i) => {
    const turn = ((-120 + 24 * i - 90) * Math.PI) / 180;
    const [x, y] = [Math.cos(turn), Math.sin(turn)];
    return `<line x1="${400 + 190 * x}" y1="${260 + 190 * y}" x2="${400 + 215 * x}" y2="${260 + 215 * y}" stroke="#222" stroke-width="6"/>`;
  }).join("");
  const svg = `<svg xmlns="http://www.w3.org/2000/svg" width="800" height="640"><rect width="800" height="640" fill="#d8d4c8"/>
    <circle cx="400" cy="260" r="235" fill="#f6f4ec" stroke="#333" stroke-width="14"/>${ticks}
    <g transform="rotate(${angle} 400 260)"><polygon points="392,270 408,270 402,80 398,80" fill="#a11"/></g><circle cx="400" cy="260" r="16" fill="#333"/>
    <rect x="90" y="510" width="620" height="110" fill="#fffef8" stroke="#444" stroke-width="3"/>
    <text x="400" y="556" font-size="40" text-anchor="middle" font-family="DejaVu Sans">${what}</text>
    <text x="400" y="606" font-size="46" font-weight="bold" text-anchor="middle" font-family="DejaVu Sans">${value.toFixed(value > 10 ? 0 : 1)} ${unit}</text></svg>`;
  const noise = await sharp({
    create: { width: 800, height: 640, channels: 3, noise: { type: "gaussian", mean: 128, sigma: 18 }, background: "#000" },
  })
    .png()
    .toBuffer();
  const drawn = await sharp(Buffer.from(svg))
    .composite([{ input: noise, blend: "soft-light" }])
    .png()
    .toBuffer();
  await sharp(drawn)
    .rotate(tilt, { background: "#d8d4c8" })
    .jpeg({ quality: 72 })
    .toFile(at(`gauges/${id}.jpg`).pathname);
}
writeFileSync(
  at("gauges.csv"),
  csv([["gaugeId", "vessel", "where", "photo"], ...GAUGES.map(([id, vessel, where]) => [id, vessel, where, `gauges/${id}.jpg`])]),
);
writeFileSync(
  at("samples/gauge.csv"),
  csv([
    ["gaugeId", "photo", "reading", "unit"],
    ...GAUGES.map(([id, , , , value, unit]) => [id, `gauges/${id}.jpg`, value, unit === "C" ? "degrees" : "bar"]),
  ]),
);

// Inspection sheets: as a program prints them; one of them scanned.
const SHEETS = [
  [
    "S-101",
    "MV Tern",
    "2026-02-11",
    "Ilse Varga",
    [
      "Fire doors on the car deck close and latch. Extinguisher 7 in the galley is empty and was taken ashore.",
      "Life rafts in date, cradles greased. Bilge dry.",
    ],
    "2026-08-11",
  ],
  [
    "S-102",
    "MV Skua",
    "2026-02-18",
    "Ilse Varga",
    [
      "The bow ramp hinge shows a crack of 4 cm at the port pin; the ramp is not to be used for lorries until it is welded.",
      "Navigation lights checked, all burn.",
    ],
    "2026-03-18",
  ],
  [
    "S-103",
    "MV Gannet",
    "2026-02-25",
    "Tomo Reyk",
    [
      "Two life jackets in locker C have torn straps. Replaced on the spot from the spare stock.",
      "Steering gear tested over the full range without remark.",
    ],
    "2026-08-25",
  ],
  ["S-104", "MV Tern", "2026-03-04", "Tomo Reyk", ["All points of the monthly round were looked at and found in order."], "2026-04-04"],
  [
    "S-105",
    "MV Skua",
    "2026-03-11",
    "Ilse Varga",
    [
      "Oil drips from the seal of the number two bilge pump, about a cupful in a watch. A drip tray is in place.",
      "Fire pump delivers 6.4 bar at the aft hydrant.",
    ],
    "2026-09-11",
  ],
];
const lines = ([id, vessel, day, who, findings, due]) => [
  `Inspection sheet ${id}`,
  `Vessel: ${vessel}`,
  `Day: ${day}`,
  `Inspector: ${who}`,
  "",
  "Findings",
  ...findings,
  "",
  `Next inspection due: ${due}`,
];
for (const sheet of SHEETS) {
  const doc = new Pdf({
    size: "A4",
    margin: 60,
    info: { Title: sheet[0], CreationDate: new Date("2026-03-20T00:00:00Z"), ModDate: new Date("2026-03-20T00:00:00Z") },
  });
  const out = createWriteStream(at(`sheets/${sheet[0]}.pdf`));
  doc.pipe(out);
  if (sheet[0] === "S-105") {
    const text = lines(sheet)
      .flatMap((line) => line.match(/.{1,62}(?:\s|$)/g) ?? [""])
      .map((line, i) => `<text x="110" y="${150 + 52 * i}" font-size="34" font-family="DejaVu Sans">${line.trim()}</text>`)
      .join("");
    const page = await sharp(
      Buffer.from(
        `<svg xmlns="http://www.w3.org/2000/svg" width="1400" height="1980"><rect width="1400" height="1980" fill="#fdfcf7"/>${text}</svg>`,
      ),
    )
      .rotate(0.6, { background: "#fff" })
      .jpeg({ quality: 60 })
      .toBuffer();
    doc.image(page, 0, 0, { width: 595 });
  } else {
    const [title, ...rest] = lines(sheet);
    doc.fontSize(18).text(title).moveDown(0.5).fontSize(11);
    for (const line of rest) doc.text(line).moveDown(0.4);
  }
  doc.end();
  await finished(out);
}
writeFileSync(at("sheets.csv"), csv([["sheetId", "vessel", "sheet"], ...SHEETS.map(([id, vessel]) => [id, vessel, `sheets/${id}.pdf`])]));

// An inbox: crews ask for what they paid, with receipts attached.
const receipt = async (shop, what, amount) => {
  const doc = new Pdf({
    size: "A6",
    margin: 30,
    info: { Title: shop, CreationDate: new Date("2026-03-20T00:00:00Z"), ModDate: new Date("2026-03-20T00:00:00Z") },
  });
  const pieces = [];
  doc.on("data", (piece) => pieces.push(piece));
  doc
    .fontSize(14)
    .text(shop)
    .moveDown()
    .fontSize(10)
    .text(what)
    .moveDown()
    .text(`Total: NZD ${amount}`)
    .moveDown()
    .text("Paid, with thanks.");
  doc.end();
  await finished(doc.resume?.() ?? doc).catch(() => undefined);
  return Buffer.concat(pieces);
};
const MAILS = [
  [
    "march/0301.eml",
    "Nilo Hart <nilo@marrowby.example>",
    "Paint for the lounge",
    "Sun, 01 Mar 2026 09:12:00 +1300",
    "Please pay me back, both receipts are attached.\nNilo",
    [
      ["paint.pdf", "Quillshore Chandlery", "Paint, 5 litres, white", "84.50"],
      ["brushes.pdf", "Quillshore Chandlery", "Brushes and tape", "23.90"],
    ],
  ],
  [
    "march/0305.eml",
    "Asta Bowen <asta@marrowby.example>",
    "Fuses",
    "Thu, 05 Mar 2026 16:40:00 +1300",
    "One receipt. The old fuses are in the drawer.\nAsta",
    [["fuses.pdf", "Lanternhouse Electrics", "Fuses 10 A, box of 50", "61.00"]],
  ],
  [
    "march/0309.eml",
    "Roster <roster@marrowby.example>",
    "Roster for week 11",
    "Mon, 09 Mar 2026 07:00:00 +1300",
    "Tern: Hart, Bowen. Skua: Reyk, Lund. Gannet: Varga, Iqbal.\nSwaps by Wednesday, please.",
    [],
  ],
  [
    "april/0402.eml",
    "Pim Lund <pim@marrowby.example>",
    "Pump seal and a taxi",
    "Thu, 02 Apr 2026 18:05:00 +1300",
    "The seal could not wait. Taxi receipt as text, the machine printed none.\nPim",
    [
      ["seal.pdf", "Varrick Pumps", "Seal kit, bilge pump 2", "118.20"],
      ["taxi.txt", "", "Taxi Oldmere to Norrick, NZD 37.00, paid in cash", ""],
    ],
  ],
];
for (const [file, from, subject, date, text, attached] of MAILS) {
  const head = `From: ${from}\r\nTo: desk@marrowby.example\r\nSubject: ${subject}\r\nDate: ${date}\r\nMessage-ID: <${file.replace(/\W/g, "-")}@marrowby.example>\r\nMIME-Version: 1.0\r\n`;
  const body = `Content-Type: text/plain; charset=utf-8\r\n\r\n${text.replaceAll("\n", "\r\n")}\r\n`;
  if (attached.length === 0) {
    writeFileSync(at(`inbox/${file}`), head + body);
    continue;
  }
  const parts = await Promise.all(
    attached.map(async ([name, shop, what, amount]) => {
      const bytes = name.endsWith(".pdf") ? await receipt(shop, what, amount) : Buffer.from(what);
      const base64 = bytes.toString("base64").replace(/.{76}/g, "$&\r\n");
      return `Content-Type: ${name.endsWith(".pdf") ? "application/pdf" : "text/plain"}; name="${name}"\r\nContent-Disposition: attachment; filename="${name}"\r\nContent-Transfer-Encoding: base64\r\n\r\n${base64}\r\n`;
    }),
  );
  const mark = "marrowby-part";
  writeFileSync(
    at(`inbox/${file}`),
    `${head}Content-Type: multipart/mixed; boundary="${mark}"\r\n\r\n${[body, ...parts].map((part) => `--${mark}\r\n${part}`).join("")}--${mark}--\r\n`,
  );
}

writeFileSync(
  at("suppliers.csv"),
  csv([
    ["supplierId", "supplier", "town"],
    ["P-1", "Quillshore Chandlery", "Pellbay"],
    ["P-2", "Varrick Pumps", "Oldmere"],
    ["P-3", "Ostrum Safety", "Pellbay"],
    ["P-4", "Tidewell Engines", "Norrick"],
    ["P-5", "Lanternhouse Electrics", "Oldmere"],
    ["P-6", "Pellbay Port", "Pellbay"],
    ["P-7", "Norrick Harbour", "Norrick"],
  ]),
);
