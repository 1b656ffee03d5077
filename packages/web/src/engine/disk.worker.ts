import * as Comlink from "comlink";
import { DepthConverter } from "./depthConverter";
import { DiskClient } from "./diskClient";
import { FrameCodec } from "./frameCodec";
import { loadKernels } from "./resources";
import { transferring } from "./transferring";

// Packing, unpacking and sending happen here, so that they never hold up the engine's clock.
Comlink.expose(
  transferring(loadKernels().then((kernels) => new DiskClient(new FrameCodec(new DepthConverter(kernels))))),
);
