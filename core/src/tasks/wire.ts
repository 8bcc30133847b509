/** JSON that keeps typed arrays: used for project files and for talking to the server. */
const KINDS = { Float64Array, Float32Array, Int32Array, Int16Array, Uint8Array, Uint16Array, Uint32Array } as const;
type Kind = keyof typeof KINDS;

function toBase64(bytes: Uint8Array): string {
  let text = '';
  for (let i = 0; i < bytes.length; i += 32768) text += String.fromCharCode(...bytes.subarray(i, i + 32768));
  return btoa(text);
}

function fromBase64(text: string): Uint8Array {
  const binary = atob(text);
  const out = new Uint8Array(binary.length);
  for (let i = 0; i < binary.length; i++) out[i] = binary.charCodeAt(i);
  return out;
}

/** Text of a value; typed arrays become {"$array": kind, "data": base64}, NaN and infinities {"$number": text}. */
export const encodeWire = (value: unknown): string =>
  JSON.stringify(value, (_key, v: unknown) => {
    if (typeof v === 'number' && !Number.isFinite(v)) return { $number: String(v) };
    if (ArrayBuffer.isView(v)) {
      const kind = Object.keys(KINDS).find((k) => v instanceof KINDS[k as Kind]);
      if (kind) return { $array: kind, data: toBase64(new Uint8Array(v.buffer, v.byteOffset, v.byteLength)) };
    }
    return v;
  });

/** The value of such a text; throws SyntaxError when it is not JSON. */
export const decodeWire = (text: string): unknown =>
  JSON.parse(text, (_key, v: unknown) => {
    if (v && typeof v === 'object') {
      const o = v as { $array?: string; data?: string; $number?: string };
      if (o.$number !== undefined) return Number(o.$number);
      if (typeof o.$array === 'string' && Object.hasOwn(KINDS, o.$array) && typeof o.data === 'string')
        return new KINDS[o.$array as Kind](fromBase64(o.data).buffer as ArrayBuffer);
    }
    return v;
  });
