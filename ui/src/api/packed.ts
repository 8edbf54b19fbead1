/** Packed arrays from the server: "DYNA", header length, JSON header, raw little-endian data. */

export type Packed = Record<string, Float32Array | Uint32Array | Uint8Array | Int32Array>;

const KINDS: Record<
  string,
  new (buffer: ArrayBuffer, offset: number, length: number) => Float32Array | Uint32Array | Uint8Array | Int32Array
> = {
  f4: Float32Array as never,
  u4: Uint32Array as never,
  u1: Uint8Array as never,
  i4: Int32Array as never,
};

/** The arrays by name, as views into `data`; throws on foreign bytes. */
export function unpack(data: ArrayBuffer): Packed {
  const view = new DataView(data);
  if (data.byteLength < 8 || view.getUint32(0) !== 0x44594e41)
    throw new Error("the server sent something that is not packed arrays");
  const length = view.getUint32(4, true);
  const head = JSON.parse(new TextDecoder().decode(new Uint8Array(data, 8, length))) as {
    arrays: Record<string, [string, number[], number]>;
  };
  const out: Packed = {};
  for (const [name, [kind, shape, at]] of Object.entries(head.arrays)) {
    const Kind = KINDS[kind];
    if (!Kind) throw new Error(`arrays of type ${kind} are not known`);
    out[name] = new Kind(
      data,
      8 + length + at,
      shape.reduce((a, b) => a * b, 1),
    );
  }
  return out;
}
