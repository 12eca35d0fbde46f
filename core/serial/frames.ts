/**
 * Frames on a serial line: what is said, a check of 16 bits (CRC-16/CCITT-FALSE, polynomial 0x1021 from 0xffff), all of it stuffed so that 0 stands
 * at the end of frames alone (consistent overhead byte stuffing, Cheshire and Baker 1999).
 */

export function checkOf(bytes: ArrayLike<number>): number {
  let check = 0xffff;
  for (let k = 0; k < bytes.length; k++) {
    check ^= bytes[k] << 8;
    for (let bit = 0; bit < 8; bit++) check = ((check << 1) ^ ((check & 0x8000) !== 0 ? 0x1021 : 0)) & 0xffff;
  }
  return check;
}

/** What can be stuffed at once: a frame is no longer. */
export const longestFrame = 250;

/** Bytes on the line for what is said, the 0 at the end included. */
export function frameOf(said: readonly number[]): readonly number[] {
  const check = checkOf(said);
  const plain = [...said, check >> 8, check & 0xff];
  if (plain.length > longestFrame) throw new Error(`A frame has no more than ${longestFrame} bytes`);
  const out: number[] = [];
  let from = 0;
  for (let end = plain.indexOf(0); end >= 0; end = plain.indexOf(0, from)) {
    out.push(end - from + 1, ...plain.slice(from, end));
    from = end + 1;
  }
  return [...out, plain.length - from + 1, ...plain.slice(from), 0];
}
/** Bytes on the line for so many that are said. */
export const lengthOnLine = (said: number): number => said + 4;

export type FrameFault = 'stuffing' | 'check' | 'long';

/** Puts frames together out of bytes as they come; a broken one is left behind at the next 0. */
export function createFrameReader() {
  let bytes: number[] = [];
  let isLong = false;
  return {
    /** What a byte completes; nothing inside a frame. */
    take(byte: number): { readonly said: readonly number[] } | { readonly fault: FrameFault } | undefined {
      if (byte !== 0) {
        if (bytes.length > longestFrame) isLong = true;
        else bytes.push(byte);
        return undefined;
      }
      const [got, tooLong] = [bytes, isLong];
      bytes = [];
      isLong = false;
      if (tooLong) return { fault: 'long' };
      // several zeros in a row are no frame
      if (got.length === 0) return undefined;
      const plain: number[] = [];
      for (let k = 0; k < got.length;) {
        const next = k + got[k];
        if (next > got.length) return { fault: 'stuffing' };
        plain.push(...got.slice(k + 1, next));
        k = next;
        if (k < got.length) plain.push(0);
      }
      if (plain.length < 2) return { fault: 'stuffing' };
      const said = plain.slice(0, -2);
      return checkOf(said) === (plain.at(-2)! << 8) + plain.at(-1)! ? { said } : { fault: 'check' };
    },
  };
}
