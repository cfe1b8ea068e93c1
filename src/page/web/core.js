'use strict';

/*
 * The same C code that the tool runs, as WebAssembly, packed by gzip. Its texts are UTF-8 that ends in a NUL, its arrays
 * lie in its memory until the next call.
 */
class Core {
  static async open(base64) {
    const packed = Uint8Array.from(atob(base64.trim()), (c) => c.charCodeAt(0));
    const unpacked = new Blob([packed]).stream().pipeThrough(new DecompressionStream('gzip'));
    const bytes = await new Response(unpacked).arrayBuffer();
    const refused = () => 8; /* EBADF: it has no files, and prints nothing */
    const wasi = { fd_close: refused, fd_seek: refused, fd_write: refused };
    const made = await WebAssembly.instantiate(bytes, { wasi_snapshot_preview1: wasi });
    return new Core(made.instance.exports);
  }

  constructor(exports) {
    this.c = exports;
  }

  /* Call rk_workbench_NAME: texts go in as texts. */
  call(name, ...args) {
    const kept = [];
    const given = args.map((arg) => {
      if (typeof arg !== 'string') return arg;
      const bytes = new TextEncoder().encode(arg + '\0');
      const at = this.c.malloc(bytes.length);
      new Uint8Array(this.c.memory.buffer, at, bytes.length).set(bytes);
      kept.push(at);
      return at;
    });
    const result = this.c['rk_workbench_' + name](...given);
    kept.forEach((at) => this.c.free(at));
    return result;
  }

  textAt(at) {
    if (at === 0) return null;
    const bytes = new Uint8Array(this.c.memory.buffer);
    return new TextDecoder().decode(bytes.subarray(at, bytes.indexOf(0, at)));
  }

  text(name, ...args) {
    return this.textAt(this.call(name, ...args));
  }

  numbers(at, count) {
    return new Float64Array(this.c.memory.buffer, at, count);
  }
}
