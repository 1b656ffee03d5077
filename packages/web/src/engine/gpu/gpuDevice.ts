import type { GraphicsChoice } from "@kinetocache/core";
import { requestAdapter } from "./adapters";
import { GraphicsError } from "./graphicsError";
import { SHADERS, type ShaderName } from "./shaders";

/** A device that is ready to render: its shaders are compiled. */
export interface GpuDevice {
  readonly device: GPUDevice;
  readonly pipelines: Readonly<Record<ShaderName, GPUComputePipeline>>;
  /** Whether the device can tell how long each node took. */
  readonly hasTimestamps: boolean;
  /** Why the device was lost; undefined while it is there. */
  readonly lost: () => string | undefined;
}

const TELLS_WITHIN_MS = 200;

/** @throws GraphicsError that says what is missing */
export async function openDevice(choice: GraphicsChoice): Promise<GpuDevice> {
  const adapter = await requestAdapter(choice);
  if (!adapter) throw new GraphicsError("The browser offers no graphics device", true);
  const hasTimestamps = adapter.features.has("timestamp-query");
  const { maxBufferSize, maxStorageBufferBindingSize } = adapter.limits;
  let device: GPUDevice;
  try {
    device = await adapter.requestDevice({
      requiredFeatures: hasTimestamps ? ["timestamp-query"] : [],
      requiredLimits: { maxBufferSize, maxStorageBufferBindingSize },
    });
  } catch (cause) {
    throw new GraphicsError(`The graphics device does not open: ${(cause as Error).message}`, true, { cause });
  }
  let lost: string | undefined;
  void device.lost.then(({ message }) => (lost = withoutStop(message) || "the system took it away"));
  try {
    const names = Object.keys(SHADERS) as ShaderName[];
    const pipelines = await Promise.all(names.map((name) => compile(device, name)));
    return {
      device,
      pipelines: Object.fromEntries(names.map((name, index) => [name, pipelines[index]!])) as GpuDevice["pipelines"],
      hasTimestamps,
      lost: () => lost,
    };
  } catch (cause) {
    // A device that goes while it is being set up fails its shaders first, and tells just after.
    await Promise.race([device.lost, new Promise((resolve) => setTimeout(resolve, TELLS_WITHIN_MS))]);
    const reason =
      lost === undefined ? `could not be set up: ${withoutStop((cause as Error).message)}` : `was lost: ${lost}`;
    device.destroy();
    throw new GraphicsError(`The graphics device ${reason}`, true, { cause });
  }
}

async function compile(device: GPUDevice, name: ShaderName): Promise<GPUComputePipeline> {
  const module = device.createShaderModule({ label: name, code: SHADERS[name].code });
  const fault = (await module.getCompilationInfo()).messages.find(({ type }) => type === "error");
  if (fault) throw new Error(`${name}, line ${fault.lineNum}: ${fault.message}`);
  return device.createComputePipelineAsync({ label: name, layout: "auto", compute: { module } });
}

/** A message of the browser as part of a sentence. */
function withoutStop(message: string): string {
  return message.replace(/\.+$/, "");
}
