/** Text of unknown encoding: byte order marks first, then UTF-8, then Western one-byte text, which never fails. */
export function decodeText(bytes: Uint8Array): {
  readonly text: string;
  readonly encoding: string;
  readonly certain: boolean;
} {
  const starts = (...mark: number[]): boolean => mark.every((b, k) => bytes[k] === b);
  const decode = (encoding: string, certain = true) => ({
    text: new TextDecoder(encoding).decode(bytes),
    encoding,
    certain,
  });
  if (starts(0xef, 0xbb, 0xbf)) return decode('utf-8');
  if (starts(0xff, 0xfe)) return decode('utf-16le');
  if (starts(0xfe, 0xff)) return decode('utf-16be');
  const head = bytes.subarray(0, 400);
  const zeros = (odd: number): number => head.filter((b, k) => b === 0 && k % 2 === odd).length;
  if (zeros(1) > head.length / 4) return decode('utf-16le', false);
  if (zeros(0) > head.length / 4) return decode('utf-16be', false);
  try {
    return { text: new TextDecoder('utf-8', { fatal: true }).decode(bytes), encoding: 'utf-8', certain: true };
  } catch {
    return decode('windows-1252', false);
  }
}
