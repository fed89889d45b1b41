/** The way through a session: before, trial after trial, breaks, and the end, where the answers are handed over. */

const MOST_BROKEN = 3; // clips in a row that cannot be heard, after which it ends

class Session {
  /** @param {any} said @param {HTMLElement} main @param {(code: string) => Promise<ArrayBuffer>} bytes of a clip
   * @param {(session: Session, finished: boolean) => void} over draws the end */
  constructor(said, main, bytes, over) {
    this.said = said; this.bytes = bytes; this.over = over;
    this.words = said.words;
    this.kept = new Kept(said.code);
    this.stage = new Stage(main);
    if (said.tried) main.before(made('header', { className: 'trial' }, [made('p', {}, [this.words.trial_run])]));
    this.sound = new Sound(() => this.trial && this.trial.update());
    this.sound.silent = () => this.sayNoSound();
    /** @type {Trial | null} */ this.trial = null;
    this.rested = performance.now();
    this.broken = 0;
    this.index = 0;
    this.isOver = false; // the last page stands
    this.closed = false; // the test takes no more
    this.handedOver = false;
    this.instead = '';
    /** @type {number | undefined} */ this.justAnswered = undefined;
    /** @type {Map<string, Promise<AudioBuffer>>} */ this.decoded = new Map();
  }

  begin() {
    if (this.kept.take()) {
      this.stage.show(this.words.listening_test, [this.words.elsewhere_open], []);
      setTimeout(() => this.begin(), 1000);
      return;
    }
    const done = this.kept.done();
    this.index = this.said.trials.findIndex((/** @type {any} */ one) => !done.has(one.place));
    if (this.index < 0) {
      this.end(true);
      return;
    }
    addEventListener('beforeunload', (event) => {
      if (!this.kept.works && this.kept.state.entries.length && !this.handedOver) event.preventDefault();
    });
    new Before(this.said, this.stage, this.sound, this.kept, (code) => this.clip(code)).run((takesPart) => {
      this.stayAwake();
      if (takesPart) this.next();
      else this.turnedAway();
    });
  }

  turnedAway() {
    this.end(false, this.kept.state.checks.turned_away === 'declined' ? this.words.declined : this.words.turned_away);
  }

  /** While it goes on the screen stays on, where the browser lets it. */
  stayAwake() {
    const wake = () => {
      const lock = /** @type {any} */ (navigator).wakeLock;
      if (lock && !document.hidden) lock.request('screen').catch(() => {});
    };
    wake();
    document.addEventListener('visibilitychange', wake);
  }

  /** @param {string} code @returns {Promise<AudioBuffer>} */
  clip(code) {
    const known = this.decoded.get(code);
    if (known) return known;
    const made = this.bytes(code).then((data) => this.sound.decode(data));
    made.catch(() => this.decoded.delete(code)); // asked for again, it is fetched again
    this.decoded.set(code, made);
    if (this.decoded.size > 12) this.decoded.delete(/** @type {string} */ (this.decoded.keys().next().value));
    return made;
  }

  next() {
    const { said, words } = this;
    this.sound.load([]);
    this.trial = null;
    if (this.index >= said.trials.length) {
      this.end(true);
      return;
    }
    if (performance.now() - this.rested > said.rest_s * 1000) {
      this.rested = performance.now();
      const minutes = Math.round(said.rest_s / 60);
      this.stage.show(words.listening_test, [filled(words.break, { minutes })], [[words.go_on, '', () => this.next()]]);
      return;
    }
    this.draw(said.trials[this.index]);
  }

  place() {
    const { trials, trained } = this.said;
    const answered = this.said.answered - trained;
    const training = trials.filter((/** @type {any} */ one) => one.training).length;
    const { words } = this;
    const now = trials[this.index];
    if (now.training) return filled(words.place, { part: words.training, place: this.index + 1 + trained, total: training + trained });
    return filled(words.place, { part: now.lanes.length === 1 ? words.clip : words.trial,
      place: this.index - training + 1 + answered, total: trials.length - training + answered });
  }

  /** @param {any} trial */
  async draw(trial) {
    const before = this.index > 0 ? this.said.trials[this.index - 1] : null;
    const may = before && !before.questions.some((/** @type {any} */ one) => one.once) && this.justAnswered === before.place;
    const drawn = new Trial(trial, this.said, this.stage, this.sound, {
      place: this.place(), back: may ? () => this.correct() : null, stop: () => this.askToStop(),
      answered: (given, note) => this.answered(drawn, given, note),
    });
    this.trial = drawn;
    drawn.draw();
    try {
      const codes = trial.lanes.map((/** @type {any} */ one) => one.clip);
      const [bed, ...buffers] = await Promise.all([this.said.bed ? this.clip(this.said.bed) : null, ...codes.map(
        (/** @type {string} */ code) => this.clip(code),
      )]);
      if (this.trial !== drawn) return;
      this.broken = 0;
      this.sound.bed = bed;
      this.sound.load(buffers.map((buffer, k) => Sound.lane(/** @type {AudioBuffer} */ (buffer), trial.lanes[k].axis)));
      drawn.update();
      await this.sound.play();
      const began = this.sound.context.currentTime;
      setTimeout(() => this.listenForSilence(drawn, began), 1500);
    } catch (error) {
      if (this.trial === drawn) this.skip(drawn, String(error));
    }
  }

  /** A device that lets no time pass plays nothing. @param {Trial} drawn @param {number} began */
  listenForSilence(drawn, began) {
    if (this.trial !== drawn || !this.sound.playing || this.sound.context.currentTime > began + 0.2) return;
    this.sound.pause();
    this.sound.silent();
  }

  /** Say that nothing can be heard, below whatever stands there. */
  sayNoSound() {
    const { main } = this.stage;
    if (!main.querySelector('.bad')) main.append(made('p', { className: 'bad', role: 'alert' }, [this.words.no_sound]));
  }

  /** @param {Trial} drawn @param {string} why */
  skip(drawn, why) {
    this.broken += 1;
    if (this.broken > MOST_BROKEN) {
      this.end(false);
      return;
    }
    this.kept.add({ place: drawn.trial.place, skipped: why.slice(0, 300) });
    this.index += 1;
    this.next();
  }

  /** @param {Trial} drawn @param {object} given @param {string} note */
  answered(drawn, given, note) {
    this.sound.pause();
    this.kept.add({ place: drawn.trial.place, given, note, heard: drawn.heard(),
      took_s: Math.round(performance.now() - drawn.began) / 1000 });
    this.justAnswered = drawn.trial.place;
    this.handedOver = false;
    this.index += 1;
    this.next();
  }

  correct() {
    this.index -= 1;
    this.justAnswered = undefined;
    this.next();
  }

  get counts() {
    return { done: this.index + this.said.answered, total: this.said.trials.length + this.said.answered };
  }

  askToStop() {
    const { words } = this;
    this.sound.pause();
    this.trial = null;
    const ask = this.kept.works ? words.ask_stop : words.ask_stop_unkept;
    this.stage.show(words.listening_test, [filled(ask, this.counts)], [
      [words.go_on_listening, '', () => this.next()], [words.stop_now, 's', () => this.end(false)],
    ]);
  }

  /** @param {boolean} finished @param {string} [instead] of what is said to those who took part */
  end(finished, instead = '') {
    this.sound.load([]);
    this.trial = null;
    this.instead = instead;
    this.over(this, finished);
  }
}
