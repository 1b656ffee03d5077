// Makes Estuary Map, a chart of the made-up estuary, and writes it to demo/compositions/estuary-map.json.
import { writeFile } from "node:fs/promises";
import { parseDocument, type Document } from "@kinetocache/core";
import { document, effect, layer } from "../testing/documents";

const FILE = "demo/compositions/estuary-map.json";
const [WIDTH, HEIGHT, RATE, SECONDS] = [3840, 2160, 25, 12];
const FRAMES = RATE * SECONDS;
// Cells of the height field; contours are drawn through them.
const [COLUMNS, ROWS] = [64, 36];
const STEP = WIDTH / COLUMNS;

/** Metres above low water: a valley that widens to the west, with banks and two hills. */
function heightAt(x: number, y: number): number {
  const [u, v] = [x / COLUMNS, y / ROWS];
  const course = 0.52 + 0.1 * Math.sin(u * 5.2) + 0.03 * Math.sin(u * 17);
  const width = 0.09 + 0.28 * (1 - u) ** 1.6;
  const valley = 1 - Math.exp(-(((v - course) / width) ** 2));
  const hill = (cx: number, cy: number, size: number, top: number) =>
    top * Math.exp(-((((u - cx) * 16) / 9) ** 2 + (v - cy) ** 2) / size ** 2);
  const bank = 5 * Math.exp(-(((u - 0.26) / 0.09) ** 2) - ((v - 0.56) / 0.035) ** 2);
  return -9 + 22 * valley + hill(0.72, 0.16, 0.2, 26) + hill(0.5, 0.92, 0.17, 20) + bank;
}

type Point = readonly [number, number];

/** Lines of one height, cell by cell (marching squares; W. Lorensen and H. Cline, 1987, in two dimensions). */
function contour(level: number): string {
  const parts: string[] = [];
  for (let y = 0; y < ROWS; y++)
    for (let x = 0; x < COLUMNS; x++) {
      const corners: Point[] = [
        [x, y],
        [x + 1, y],
        [x + 1, y + 1],
        [x, y + 1],
      ];
      const crossings = corners.flatMap((from, index): Point[] => {
        const to = corners[(index + 1) % 4]!;
        const [a, b] = [heightAt(...from) - level, heightAt(...to) - level];
        if (a < 0 === b < 0) return [];
        const t = a / (a - b);
        return [[from[0] + t * (to[0] - from[0]), from[1] + t * (to[1] - from[1])]];
      });
      for (let i = 0; i + 1 < crossings.length; i += 2)
        parts.push(`M${crossings[i]!.map(written).join(" ")}L${crossings[i + 1]!.map(written).join(" ")}`);
    }
  return parts.join("");
}

const written = (cell: number) => String(Math.round(cell * STEP));

/** The part of the picture above a height, in rows as high as a line is thick. */
function above(level: number): string {
  const [wide, high] = [10, 10];
  const parts: string[] = [];
  for (let row = 0; row < ROWS * high; row++) {
    const y = (row + 0.5) / high;
    let start: number | undefined;
    for (let x = 0; x <= COLUMNS * wide; x++) {
      const isAbove = x < COLUMNS * wide && heightAt(x / wide, y) >= level;
      if (isAbove && start === undefined) start = x;
      if (isAbove || start === undefined) continue;
      const [left, width, top, height] = [start, x - start, row, 1];
      parts.push(`M${left} ${top}h${width}v${height}h-${width}z`);
      start = undefined;
    }
  }
  return `<path transform="scale(${STEP / wide} ${STEP / high})" d="${parts.join("")}"`;
}

const svg = (width: number, height: number, content: string) => ({
  kind: "svg" as const,
  width,
  height,
  text: `<svg xmlns="http://www.w3.org/2000/svg" width="${width}" height="${height}" viewBox="0 0 ${width} ${height}">${content}</svg>`,
});

const lines = [-6, -3, 0, 3, 6, 9, 12, 16, 20, 24, 28].map(
  (level) =>
    `<path d="${contour(level)}" fill="none" stroke="${level < 0 ? "#4f7f92" : "#6b5a3e"}" stroke-width="${level % 6 === 0 ? 7 : 4}" stroke-linecap="round"/>`,
);
const place = (x: number, y: number, name: string, size = 62) =>
  `<text x="${x}" y="${y}" font-family="Instrument Sans" font-size="${size}" fill="#2c3338">${name}</text>`;
const station = (x: number, y: number) => `<circle cx="${x}" cy="${y}" r="17" fill="#9c3f2f"/>`;

const assets: Document["assets"] = {
  land: svg(WIDTH, HEIGHT, `${above(0)} fill="#d9cfae"/>${above(10)} fill="#c6b98c"/>`),
  contours: svg(WIDTH, HEIGHT, lines.join("")),
  names: svg(
    WIDTH,
    HEIGHT,
    [
      station(1020, 1240),
      place(1060, 1262, "Sandling Bank"),
      station(2260, 700),
      place(2300, 722, "Ringing station"),
      station(3090, 1330),
      place(3130, 1352, "Night roost"),
      place(2680, 400, "Wether Hill, 31 m", 54),
      place(1780, 2040, "Coldhithe Down, 25 m", 54),
      place(300, 1100, "Outer Roads", 84),
    ].join(""),
  ),
  route: svg(
    WIDTH,
    HEIGHT,
    `<path d="M120 1180C700 900 980 1280 1500 1150S2300 820 2260 700S2880 1180 3090 1330" fill="none" stroke="#9c3f2f" stroke-width="11" stroke-dasharray="46 30" stroke-linecap="round"/>`,
  ),
};

const at = (frames: readonly number[], values: readonly number[]) => ({
  keyframes: frames.map((frame, index) => ({ frame, value: values[index]!, ease: "smooth" as const })),
});
const whole = { anchorX: 0, anchorY: 0, x: 0, y: 0, scale: 1, rotation: 0 };
const camera = {
  anchorX: WIDTH / 2,
  anchorY: HEIGHT / 2,
  x: at([0, FRAMES - 1], [WIDTH / 2 + 120, WIDTH / 2 - 160]),
  y: HEIGHT / 2,
  scale: at([0, FRAMES - 1], [1.12, 1.22]),
  rotation: 0,
};

const made = document([
  layer("sea", "solid", { colour: "#9cc1c9" }, { name: "Water" }),
  layer(
    "swell",
    "noise",
    { colour: "#7fb0bd", size: 520, stretch: 4, detail: 2, low: 40, high: 90, driftX: 40 },
    {
      name: "Swell",
      opacity: 0.7,
      effects: [effect("displacement", { amount: 60, size: 640, detail: 2, evolution: 0.3 })],
    },
  ),
  layer(
    "land",
    "svg",
    { asset: "land" },
    {
      name: "Land",
      transform: camera,
      effects: [effect("displacement", { amount: 34, size: 420, detail: 2, evolution: 0.15 })],
    },
  ),
  layer(
    "shade",
    "svg",
    { asset: "land" },
    {
      name: "Hill shade",
      transform: camera,
      blend: "multiply",
      opacity: 0.45,
      effects: [effect("gaussianBlur", { radius: 110, edges: "transparent" })],
    },
  ),
  layer(
    "contours",
    "svg",
    { asset: "contours" },
    {
      name: "Contours",
      transform: camera,
      effects: [effect("displacement", { amount: 34, size: 420, detail: 2, evolution: 0.15 })],
    },
  ),
  layer(
    "route",
    "svg",
    { asset: "route" },
    { name: "Flyway", transform: camera, opacity: at([0, 50, 250, 299], [0, 1, 1, 0.4]) },
  ),
  layer("names", "svg", { asset: "names" }, { name: "Place names", transform: camera, opacity: at([20, 60], [0, 1]) }),
  layer(
    "vignette",
    "gradient",
    {
      shape: "radial",
      x0: WIDTH / 2,
      y0: HEIGHT / 2,
      x1: WIDTH,
      y1: HEIGHT,
      colour0: "#ffffff",
      colour1: "#ffffff",
      colour2: "#c9b58d",
    },
    { name: "Paper", blend: "multiply", transform: whole },
  ),
]);
const { main } = made.compositions;
const chart: Document = {
  ...made,
  id: "estuary-map",
  main: "estuary-map",
  variants: [{ composition: "estuary-map", name: "Original" }],
  assets,
  compositions: {
    "estuary-map": {
      ...main!,
      id: "estuary-map",
      name: "Estuary Map",
      width: WIDTH,
      height: HEIGHT,
      rate: { numerator: RATE, denominator: 1 },
      duration: FRAMES,
      layers: main!.layers.map((one) => ({ ...one, range: { in: 0, out: FRAMES } })),
    },
  },
};
parseDocument(chart);
await writeFile(FILE, `${JSON.stringify(chart, null, 1)}\n`);
