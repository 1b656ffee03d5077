import { FormatError, type Picture } from "./picture";

// PAM, the Netpbm format for pictures with alpha: a text header, then plain samples.

const ascii = (text: string) => Uint8Array.from(text, (character) => character.charCodeAt(0));

/** Header of an 8-bit RGBA PAM file; the pixels follow it as they are. */
export function pamHeader(width: number, height: number): Uint8Array {
  return ascii(`P7\nWIDTH ${width}\nHEIGHT ${height}\nDEPTH 4\nMAXVAL 255\nTUPLTYPE RGB_ALPHA\nENDHDR\n`);
}

/** @throws RangeError when the picture is not 8-bit */
export function writePam({ width, height, depth, pixels }: Picture): Uint8Array {
  if (depth !== "8-bit") throw new RangeError(`PAM holds 8-bit pictures here, not ${depth}`);
  const header = pamHeader(width, height);
  const file = new Uint8Array(header.length + pixels.length);
  file.set(header);
  file.set(pixels, header.length);
  return file;
}

const MAX_HEADER = 4096;

/** Reads an 8-bit RGBA PAM file; the pixels are a view of `file`. @throws FormatError */
export function readPam(file: Uint8Array): Picture {
  let header = "";
  for (const byte of file.subarray(0, MAX_HEADER)) {
    header += String.fromCharCode(byte);
    if (header.endsWith("ENDHDR\n")) break;
  }
  if (!header.startsWith("P7\n")) throw new FormatError("PAM", "does not start with P7", 0);
  if (!header.endsWith("ENDHDR\n")) throw new FormatError("PAM", "the header has no ENDHDR line", header.length);
  const field = (name: string) => new RegExp(`^${name}[ \\t]+(\\S+)[ \\t]*$`, "m").exec(header)?.[1];
  const number = (name: string) => {
    const text = field(name) ?? "nothing";
    if (!/^0*[1-9]\d{0,8}$/.test(text))
      throw new FormatError("PAM", `${name} must be a whole decimal number above 0, not ${text}`);
    return Number(text);
  };
  const [width, height] = [number("WIDTH"), number("HEIGHT")];
  if (number("DEPTH") !== 4 || number("MAXVAL") !== 255)
    throw new FormatError("PAM", "expected DEPTH 4 and MAXVAL 255");
  const type = field("TUPLTYPE");
  // Four samples may mean something else, such as the inks of print.
  if (type !== "RGB_ALPHA") throw new FormatError("PAM", `expected TUPLTYPE RGB_ALPHA, not ${type ?? "nothing"}`);
  const expected = header.length + width * height * 4;
  if (file.length < expected) throw new FormatError("PAM", `ends early: ${expected} bytes expected`, file.length);
  return { width, height, depth: "8-bit", pixels: file.subarray(header.length, expected) };
}
