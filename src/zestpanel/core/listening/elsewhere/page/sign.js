/** SHA-256 (FIPS 180-4) and HMAC (RFC 2104): browsers have their own for pages from the network alone. */

/** @returns {Uint32Array} the first 32 bits of the fractional parts of roots of the first primes */
function rootsOfPrimes(/** @type {number} */ power, /** @type {number} */ count) {
  const out = new Uint32Array(count);
  for (let n = 2, found = 0; found < count; n += 1) {
    let prime = true;
    for (let k = 2; k * k <= n; k += 1) if (n % k === 0) prime = false;
    if (prime) {
      const root = Math.pow(n, 1 / power);
      out[found] = Math.floor((root - Math.floor(root)) * 4294967296);
      found += 1;
    }
  }
  return out;
}

const ROUND_WORDS = rootsOfPrimes(3, 64);

/** @param {Uint8Array} bytes @returns {Uint8Array} */
function sha256(bytes) {
  const size = bytes.length;
  const blocks = new Uint8Array(((size + 8) >> 6 << 6) + 64);
  blocks.set(bytes);
  blocks[size] = 0x80;
  const view = new DataView(blocks.buffer);
  view.setUint32(blocks.length - 8, Math.floor(size / 0x20000000));
  view.setUint32(blocks.length - 4, (size << 3) >>> 0);
  const state = rootsOfPrimes(2, 8);
  const w = new Uint32Array(64);
  const turn = (/** @type {number} */ x, /** @type {number} */ n) => (x >>> n) | (x << (32 - n));
  for (let at = 0; at < blocks.length; at += 64) {
    for (let k = 0; k < 16; k += 1) w[k] = view.getUint32(at + 4 * k);
    for (let k = 16; k < 64; k += 1) {
      const s0 = turn(w[k - 15], 7) ^ turn(w[k - 15], 18) ^ (w[k - 15] >>> 3);
      const s1 = turn(w[k - 2], 17) ^ turn(w[k - 2], 19) ^ (w[k - 2] >>> 10);
      w[k] = w[k - 16] + s0 + w[k - 7] + s1;
    }
    let [a, b, c, d, e, f, g, h] = state;
    for (let k = 0; k < 64; k += 1) {
      const one = (h + (turn(e, 6) ^ turn(e, 11) ^ turn(e, 25)) + ((e & f) ^ (~e & g)) + ROUND_WORDS[k] + w[k]) | 0;
      const two = ((turn(a, 2) ^ turn(a, 13) ^ turn(a, 22)) + ((a & b) ^ (a & c) ^ (b & c))) | 0;
      h = g; g = f; f = e; e = (d + one) | 0; d = c; c = b; b = a; a = (one + two) | 0;
    }
    [a, b, c, d, e, f, g, h].forEach((value, k) => { state[k] += value; });
  }
  const out = new DataView(new ArrayBuffer(32));
  state.forEach((value, k) => out.setUint32(4 * k, value));
  return new Uint8Array(out.buffer);
}

/** @param {string} secret @param {string} text @returns {string} in hexadecimal figures */
function signed(secret, text) {
  const coder = new TextEncoder();
  let key = new Uint8Array(coder.encode(secret));
  if (key.length > 64) key = new Uint8Array(sha256(key));
  const inner = new Uint8Array(64).fill(0x36);
  const outer = new Uint8Array(64).fill(0x5c);
  key.forEach((value, k) => { inner[k] ^= value; outer[k] ^= value; });
  const both = (/** @type {Uint8Array} */ a, /** @type {Uint8Array} */ b) => {
    const out = new Uint8Array(a.length + b.length);
    out.set(a);
    out.set(b, a.length);
    return out;
  };
  const digest = sha256(both(outer, sha256(both(inner, coder.encode(text)))));
  return Array.from(digest, (value) => value.toString(16).padStart(2, '0')).join('');
}
