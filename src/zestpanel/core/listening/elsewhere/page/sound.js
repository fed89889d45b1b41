/** Clips that lie side by side: one is heard, a swap goes on at the same place in the text, and nothing clicks. */

const FADE_S = 0.012;
const STEP_S = 0.05; // in which it is counted what was heard

/** @typedef {{times: number[], places: number[]}} Axis */
/** @typedef {{buffer: AudioBuffer, axis: Axis, heard: Uint8Array, plays: number}} Lane */

/** @param {number[]} from @param {number[]} to @param {number} x */
function between(from, to, x) {
  if (x <= from[0]) return to[0];
  for (let k = 1; k < from.length; k += 1) {
    if (x <= from[k]) return to[k - 1] + (to[k] - to[k - 1]) * (x - from[k - 1]) / (from[k] - from[k - 1] || 1);
  }
  return to[to.length - 1];
}

class Sound {
  /** @param {() => void} changed called while it plays, and when it stops */
  constructor(changed) {
    this.context = new AudioContext({ latencyHint: 'interactive' });
    this.out = this.context.createGain();
    this.out.connect(this.context.destination);
    this.changed = changed;
    this.silent = () => {}; // called where nothing can be heard
    /** @type {Lane[]} */ this.lanes = [];
    this.on = 0;
    this.playing = false;
    this.at = 0; // seconds in the lane that is on, when it was started or stopped last
    this.since = 0;
    /** @type {{source: AudioBufferSourceNode, gain: GainNode} | null} */ this.voice = null;
    /** @type {{source: AudioBufferSourceNode, gain: GainNode} | null} */ this.under = null;
    /** @type {AudioBuffer | null} */ this.bed = null;
    /** @type {[number, number] | null} */ this.loop = null; // places of the text
    setInterval(() => this.tick(), 40);
    document.addEventListener('visibilitychange', () => { if (document.hidden) this.pause(); });
  }

  /** @param {AudioBuffer} buffer @param {Axis | null} axis */
  static lane(buffer, axis) {
    const plain = { times: [0, buffer.duration], places: [0, 1] };
    const steps = Math.max(1, Math.round(buffer.duration / STEP_S));
    return { buffer, axis: axis || plain, heard: new Uint8Array(steps), plays: 0 };
  }

  /** @param {Lane[]} lanes */
  load(lanes) {
    this.pause();
    this.lanes = lanes;
    this.on = 0;
    this.at = 0;
    this.loop = null;
  }

  get time() {
    const lane = this.lanes[this.on];
    if (!lane) return 0;
    const now = this.at + (this.playing ? this.context.currentTime - this.since : 0);
    return Math.max(0, Math.min(lane.buffer.duration, now));
  }

  get place() {
    const { axis } = this.lanes[this.on];
    return between(axis.times, axis.places, this.time);
  }

  /** @param {number} lane */
  share(lane) {
    const { heard } = this.lanes[lane];
    return heard.reduce((sum, one) => sum + one, 0) / heard.length;
  }

  start(/** @type {AudioBuffer} */ buffer, /** @type {number} */ from, loops = false) {
    const source = this.context.createBufferSource();
    const gain = this.context.createGain();
    source.buffer = buffer;
    source.loop = loops;
    source.connect(gain).connect(this.out);
    const now = this.context.currentTime;
    gain.gain.setValueAtTime(0, now);
    gain.gain.linearRampToValueAtTime(1, now + FADE_S);
    source.start(now, from);
    return { source, gain };
  }

  stop(/** @type {{source: AudioBufferSourceNode, gain: GainNode} | null} */ voice) {
    if (!voice) return;
    const now = this.context.currentTime;
    voice.gain.gain.cancelScheduledValues(now);
    voice.gain.gain.setValueAtTime(voice.gain.gain.value, now);
    voice.gain.gain.linearRampToValueAtTime(0, now + FADE_S);
    voice.source.stop(now + FADE_S);
  }

  async play() {
    const lane = this.lanes[this.on];
    if (!lane || this.playing) return;
    if (!await this.wakes()) return;
    if (this.at >= lane.buffer.duration - 0.02) this.at = 0;
    if (this.at === 0) lane.plays += 1;
    this.voice = this.start(lane.buffer, this.at);
    if (this.bed) this.under = this.start(this.bed, this.context.currentTime % this.bed.duration, true);
    this.since = this.context.currentTime;
    this.playing = true;
    this.changed();
  }

  /** Whether there is anything to play on: without a device some browsers never answer. */
  async wakes() {
    const late = new Promise((done) => { setTimeout(() => done(false), 1500); });
    const awake = await Promise.race([this.context.resume().then(() => true), late]);
    if (!awake) this.silent();
    return awake && !this.playing;
  }

  pause() {
    if (!this.playing) return;
    this.count();
    this.at = this.time;
    this.playing = false;
    this.stop(this.voice);
    this.stop(this.under);
    this.voice = null;
    this.under = null;
    this.changed();
  }

  /** @param {number} time in the lane that is on */
  seek(time) {
    this.count();
    this.at = time;
    this.since = this.context.currentTime;
    const lane = this.lanes[this.on];
    if (time === 0 && this.playing) lane.plays += 1;
    if (this.playing) {
      this.stop(this.voice);
      this.voice = this.start(lane.buffer, time);
    }
    this.changed();
  }

  /** Hear another lane at the same place in the text. @param {number} lane */
  swap(lane) {
    if (lane === this.on || !this.lanes[lane]) return;
    this.count();
    const { place } = this;
    const ended = this.time >= this.lanes[this.on].buffer.duration - 0.02;
    this.on = lane;
    const { axis } = this.lanes[lane];
    const to = ended ? 0 : between(axis.places, axis.times, place);
    if (to === 0 || this.lanes[lane].plays === 0) this.lanes[lane].plays += 1;
    this.at = to;
    this.since = this.context.currentTime;
    if (this.playing) {
      this.stop(this.voice);
      this.voice = this.start(this.lanes[lane].buffer, to);
    }
    this.changed();
  }

  /** Note what was heard since it was noted last. */
  count() {
    if (!this.playing) return;
    const lane = this.lanes[this.on];
    const now = this.time;
    const last = lane.heard.length;
    const whole = lane.buffer.duration;
    const from = Math.round(this.at / whole * last);
    const to = now >= whole - 0.02 ? last : Math.floor(now / whole * last + 1e-6);
    for (let k = from; k < to; k += 1) lane.heard[k] = 1;
  }

  tick() {
    if (!this.playing) return;
    this.count();
    const lane = this.lanes[this.on];
    const ends = this.loop ? between(lane.axis.places, lane.axis.times, this.loop[1]) : lane.buffer.duration;
    if (this.time >= ends - 0.005) {
      if (this.loop) {
        this.seek(between(lane.axis.places, lane.axis.times, this.loop[0]));
      } else {
        this.pause();
        this.at = lane.buffer.duration;
      }
    }
    this.changed();
  }

  /** @param {ArrayBuffer} data @returns {Promise<AudioBuffer>} */
  decode(data) {
    return this.context.decodeAudioData(data);
  }
}
