import type { HostBuild } from '../core/boards/host-build';

/** Asks the server that serves the page, which compiled a program, for one step of it; the thread waits. */
export function askHost(build: HostBuild, question: Uint8Array): Uint8Array {
  const request = new XMLHttpRequest();
  request.open('PUT', `/api/host?build=${encodeURIComponent(build.id)}`, false);
  request.responseType = 'arraybuffer';
  try {
    request.send(question as BufferSource as ArrayBuffer);
  } catch {
    throw new Error('The server that compiles does not answer');
  }
  if (request.status === 200) return new Uint8Array(request.response as ArrayBuffer);
  throw new Error(
    request.status === 410
      ? 'The server does not have what it compiled any more: start the run again'
      : `The compiled C could not go on: ${new TextDecoder().decode(request.response as ArrayBuffer)}`,
  );
}
