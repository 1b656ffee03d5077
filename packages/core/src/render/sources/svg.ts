import type { DrawSource } from "./source";

export const drawSvg: DrawSource = (node, environment) => {
  const asset = environment.asset(node.parameters.asset as string);
  if (asset.kind !== "svg") throw new TypeError(`"${String(node.parameters.asset)}" is not SVG artwork`);
  const drawn = environment.canvas.upload(environment.media.drawArtwork(asset, node.window.width), true);
  // The rasteriser rounds the height by itself.
  if (drawn.window.height === node.window.height && drawn.window.width === node.window.width) return drawn;
  const raster = environment.canvas.reframe(drawn, node.window);
  environment.canvas.release(drawn);
  return raster;
};
