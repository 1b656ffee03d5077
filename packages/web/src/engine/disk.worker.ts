import * as Comlink from "comlink";
import { DepthConverter } from "./depthConverter";
import { DiskClient } from "./diskClient";
import { FrameCodec } from "./frameCodec";
import { endWorker } from "./helper";
import { loadKernels } from "./resources";
import { transferring } from "./transferring";

// Packing, unpacking and sending happen here, so that they never hold up the engine's clock.
const client = loadKernels().then((kernels) => new DiskClient(new FrameCodec(new DepthConverter(kernels))));
client.catch(endWorker);

Comlink.expose(transferring(client));
