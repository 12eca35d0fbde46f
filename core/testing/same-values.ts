/** What is compared thousands of times: an expectation is made where the two are not the same, as making one takes longer than a step. */
export function expectSame(a: number | boolean, b: number | boolean, at: () => readonly unknown[]): void {
  if (!Object.is(a, b)) expect([...at(), a]).toEqual([...at(), b]);
}
