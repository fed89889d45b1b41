/** What is kept in the browser, so that a page that was closed goes on where it was. */

/** @typedef {{sequence: number, place: number, given?: object, note?: string, heard?: number[][], took_s?: number,
 *   at: string, skipped?: string}} Entry */

class Kept {
  /** @param {string} code */
  constructor(code) {
    this.name = `zest-listening-${code}`;
    this.works = true;
    this.mine = Math.random().toString(36).slice(2);
    /** @type {{client: string, begun: string, checks: Record<string, any>, entries: Entry[], sent?: number}} */
    this.state = { client: Kept.random(), begun: new Date().toISOString(), checks: {}, entries: [] };
    try {
      const kept = localStorage.getItem(this.name);
      if (kept) this.state = Object.assign(this.state, JSON.parse(kept));
      this.save();
      this.works = localStorage.getItem(this.name) !== null;
    } catch {
      this.works = false;
    }
  }

  static random() {
    return Array.from(crypto.getRandomValues(new Uint8Array(8)), (one) => one.toString(16).padStart(2, '0')).join('');
  }

  save() {
    try {
      localStorage.setItem(this.name, JSON.stringify(this.state));
    } catch {
      this.works = false;
    }
  }

  /** Take the session for this window. @returns {boolean} whether another one has it */
  take() {
    if (!this.works) return false;
    const [by, at] = (localStorage.getItem(`${this.name}-held`) || '').split(' ');
    if (by && by !== this.mine && Math.abs(Date.now() - Number(at)) < 4000) return true;
    this.hold();
    setInterval(() => this.hold(), 1000);
    addEventListener('pagehide', () => localStorage.removeItem(`${this.name}-held`));
    return false;
  }

  hold() {
    try {
      localStorage.setItem(`${this.name}-held`, `${this.mine} ${Date.now()}`);
    } catch {
      this.works = false;
    }
  }

  /** Append-only: a later entry to a place stands instead of an earlier one. @param {Omit<Entry, 'sequence' | 'at'>} entry */
  add(entry) {
    this.state.entries.push({ ...entry, sequence: this.state.entries.length + 1, at: new Date().toISOString() });
    this.save();
  }

  done() {
    return new Set(this.state.entries.map((one) => one.place));
  }

  /** @param {Record<string, any>} checks */
  note(checks) {
    Object.assign(this.state.checks, checks);
    this.save();
  }
}
