// Makes Flyway Titles, the opening titles in three variants, and writes it to demo/compositions/flyway-titles.json.
import { writeFile } from "node:fs/promises";
import { parseDocument, type Animated, type Composition, type Document, type Layer } from "@kinetocache/core";
import { document, effect, layer } from "../testing/documents";

const FILE = "demo/compositions/flyway-titles.json";
const [WIDTH, HEIGHT, RATE, SECONDS] = [1920, 1080, 24, 8];
const FRAMES = RATE * SECONDS;
const range = { in: 0, out: FRAMES };

const keys = (...points: readonly (readonly [frame: number, value: number])[]): Animated => ({
  keyframes: points.map(([frame, value]) => ({ frame, value, ease: "smooth" as const })),
});

/** Lettering in the middle of a picture of its own, as artwork. */
function lettering(text: string, size: number, spacing: number, weight: 400 | 600): string {
  const height = Math.round(size * 1.4);
  return `<svg xmlns="http://www.w3.org/2000/svg" width="${WIDTH}" height="${height}"><text x="${WIDTH / 2}" y="${size}" text-anchor="middle" font-family="Instrument Sans" font-weight="${weight}" font-size="${size}" letter-spacing="${spacing}" fill="#fdf3dc">${text}</text></svg>`;
}

const TITLE = lettering("FLYWAY", 250, 54, 600);
const PART = lettering("part one: the long way north", 54, 6, 400);
const CREDIT = lettering("a film from the estuary", 34, 10, 400);
const LINE = `<svg xmlns="http://www.w3.org/2000/svg" width="${WIDTH}" height="12"><rect x="510" y="4" width="900" height="3" fill="#fdf3dc"/></svg>`;

const at = (y: number, change: Partial<Layer["transform"]> = {}): Layer["transform"] => ({
  x: WIDTH / 2,
  y,
  anchorX: WIDTH / 2,
  anchorY: 0,
  scale: 1,
  rotation: 0,
  ...change,
});

/** What stays the same while the sky behind it is tried out: lettering that breathes, as heavy as the rest together. */
const titles: readonly Layer[] = [
  layer(
    "line",
    "svg",
    { asset: "line" },
    { name: "Line", range, transform: at(620), opacity: keys([18, 0], [48, 0.8]) },
  ),
  layer(
    "title",
    "svg",
    { asset: "title" },
    {
      name: "Title",
      range,
      transform: at(330, { scale: keys([0, 0.94], [FRAMES, 1.02]) }),
      opacity: keys([0, 0], [30, 1]),
      effects: [
        {
          ...effect("displacement", { amount: keys([0, 26], [60, 3]), size: 220, detail: 2, evolution: 0.6 }),
          id: "waver",
        },
        {
          ...effect("glow", { threshold: 30, radius: 36, strength: keys([24, 30], [96, 90], [FRAMES, 60]) }),
          id: "light",
        },
      ],
    },
  ),
  layer(
    "part",
    "svg",
    { asset: "part" },
    { name: "Part", range: { in: 30, out: FRAMES }, transform: at(662), opacity: keys([30, 0], [60, 1]) },
  ),
  layer(
    "credit",
    "svg",
    { asset: "credit" },
    {
      name: "Credit",
      range: { in: 72, out: FRAMES },
      transform: at(770, { y: keys([72, 790], [108, 770]) }),
      opacity: keys([72, 0], [108, 0.9]),
    },
  ),
];

interface Look {
  readonly id: string;
  readonly name: string;
  readonly sky: readonly [top: string, middle: string, bottom: string];
  readonly cloud: string;
  readonly cover: readonly [low: number, high: number];
  readonly birds: string;
  readonly exposure: number;
}

const LOOKS: readonly Look[] = [
  {
    id: "flyway-titles",
    name: "Dusk",
    sky: ["#1a2240", "#74485e", "#e08a4c"],
    cloud: "#f0b088",
    cover: [44, 82],
    birds: "#12141f",
    exposure: 0,
  },
  {
    id: "flyway-titles-overcast",
    name: "Overcast",
    sky: ["#4c565f", "#79838a", "#a9aca4"],
    cloud: "#e4e6e2",
    cover: [20, 70],
    birds: "#262b2e",
    exposure: -0.2,
  },
  {
    id: "flyway-titles-first-light",
    name: "First light",
    sky: ["#27486e", "#c88f8c", "#f6d9a0"],
    cloud: "#ffe9d0",
    cover: [52, 92],
    birds: "#2a2436",
    exposure: 0.15,
  },
];

function variant({ id, sky, cloud, cover, birds, exposure }: Look): Composition {
  const layers: Layer[] = [
    layer(
      "sky",
      "gradient",
      { y1: HEIGHT, colour0: sky[0], position: 58, colour1: sky[1], colour2: sky[2] },
      { name: "Sky", range, effects: [{ ...effect("grade", { exposure, saturation: 96 }), id: "tone" }] },
    ),
    layer(
      "cloud",
      "noise",
      {
        colour: cloud,
        size: 520,
        stretch: 3.2,
        detail: 4,
        low: cover[0],
        high: cover[1],
        driftX: 36,
        evolution: 0.12,
        seed: 11,
      },
      { name: "Cloud", range, opacity: 0.55, blend: "screen" },
    ),
    layer(
      "skein",
      "flock",
      { colour: birds, count: 46, wingspan: 46, spread: 26, speed: 1.4, centreX: 960, centreY: 240, seed: 5 },
      {
        name: "Skein",
        range,
        transform: { x: keys([0, -420], [FRAMES, 520]), y: 0, anchorX: 0, anchorY: 0, scale: 1, rotation: 0 },
        motionBlur: { enabled: true, shutter: 180, samples: 6 },
      },
    ),
    layer("lettering", "composition", { composition: "lettering" }, { name: "Lettering", range }),
  ];
  const { compositions } = document(layers);
  return {
    ...compositions.main!,
    id,
    name: "Flyway Titles",
    width: WIDTH,
    height: HEIGHT,
    rate: { numerator: RATE, denominator: 1 },
    duration: FRAMES,
  };
}

const nested: Composition = {
  ...document(titles).compositions.main!,
  id: "lettering",
  name: "Lettering",
  width: WIDTH,
  height: HEIGHT,
  rate: { numerator: RATE, denominator: 1 },
  duration: FRAMES,
};

const made: Document = {
  ...document([]),
  id: "flyway-titles",
  main: LOOKS[0]!.id,
  variants: LOOKS.map(({ id, name }) => ({ composition: id, name })),
  compositions: { ...Object.fromEntries(LOOKS.map((look) => [look.id, variant(look)])), lettering: nested },
  assets: {
    title: { kind: "svg", width: WIDTH, height: 350, text: TITLE },
    part: { kind: "svg", width: WIDTH, height: 76, text: PART },
    credit: { kind: "svg", width: WIDTH, height: 48, text: CREDIT },
    line: { kind: "svg", width: WIDTH, height: 12, text: LINE },
  },
};

await writeFile(FILE, `${JSON.stringify(parseDocument(made), null, 1)}\n`);
console.log(`${FILE}: ${FRAMES} frames, ${LOOKS.length} variants`);
