import type { Asset } from "../composition";
import type { Evaluated, Window } from "../drawing";
import type { Context } from "./context";
import { contentKey, digest, type ContentKey } from "./key";
import type { GraphNode } from "./node";

/** Parameters as they enter a key. */
export function describe(parameters: Evaluated): string {
  return Object.entries(parameters)
    .map(([name, value]) => `${name}=${value}`)
    .join(";");
}

function windowText({ x, y, width, height }: Window): string {
  return `${x},${y},${width},${height}`;
}

export function nodeKey(
  kind: string,
  version: number,
  text: string,
  window: Window,
  context: Context,
  inputs: readonly GraphNode[],
): ContentKey {
  const { renderer } = context.settings;
  return contentKey(
    `${kind}@${version}|${text}|${windowText(window)}|${renderer}`,
    inputs.map((input) => input.key),
  );
}

function assetText(asset: Asset): string {
  switch (asset.kind) {
    case "svg":
      return asset.text;
    case "sequence":
      return asset.digest;
    case "png":
      return asset.base64;
    case "clip":
      // At another rate the same number is another picture.
      return asset.file ? `${asset.file.fingerprint} ${asset.rate.numerator}/${asset.rate.denominator}` : asset.base64!;
  }
}

const assetKeys = new WeakMap<Asset, ContentKey>();

export function assetKey(asset: Asset): ContentKey {
  let key = assetKeys.get(asset);
  if (!key) {
    key = digest(assetText(asset));
    assetKeys.set(asset, key);
  }
  return key;
}
