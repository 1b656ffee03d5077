import { sequenceExport } from "../../data/server";

/** Has a stored sequence downloaded as ordinary numbered files. */
export function SequenceExport({ sequence, title }: { readonly sequence: string; readonly title?: string }) {
  return (
    <>
      <a className="btn btn-sm btn-outline-dark" href={sequenceExport(sequence, "png")} download title={title}>
        PNG
      </a>
      <a className="btn btn-sm btn-outline-dark" href={sequenceExport(sequence, "exr")} download title={title}>
        OpenEXR
      </a>
    </>
  );
}
