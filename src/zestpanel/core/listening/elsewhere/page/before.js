/** Drawing, and what comes before the first trial: who takes part, what to do, how loud, and headphones. */

/** @param {string} tag @param {Record<string, any>} [set] @param {(Node | string)[]} [inside] @returns {any} */
function made(tag, set = {}, inside = []) {
  const one = document.createElement(tag);
  for (const [name, value] of Object.entries(set)) {
    if (name in one && name !== 'role') /** @type {any} */ (one)[name] = value;
    else one.setAttribute(name, String(value));
  }
  one.append(...inside);
  return one;
}

/** @param {string} words @param {Record<string, string | number>} values */
function filled(words, values) {
  return words.replace(/\{(\w+)\}/g, (all, name) => (name in values ? String(values[name]) : all));
}

/** A button with the key that does the same.
 * @param {string} words @param {string} key @param {() => void} act @param {string} [role] @returns {HTMLButtonElement} */
function keyed(words, key, act, role = '') {
  const shown = key.length !== 1 ? [] : [made('span', { className: 'key', 'aria-hidden': 'true' }, [key.toUpperCase()])];
  const one = made('button', { type: 'button', className: role, onclick: act }, [...shown, words]);
  if (key) one.setAttribute('aria-keyshortcuts', key);
  if (key.length > 1 && key !== 'Enter') one.title = key;
  return one;
}

class Stage {
  /** @param {HTMLElement} main */
  constructor(main) {
    this.main = main;
    /** @type {Record<string, () => void>} */ this.keys = {};
    /** @type {((event: KeyboardEvent) => boolean) | null} */ this.more = null;
    addEventListener('keydown', (event) => this.pressed(event));
  }

  /** @param {KeyboardEvent} event */
  pressed(event) {
    const target = /** @type {HTMLElement} */ (event.target);
    const typing = target.matches('input[type="text"], textarea');
    if (event.altKey || event.metaKey) return;
    if (this.more && this.more(event)) {
      event.preventDefault();
      return;
    }
    if (typing || event.ctrlKey) return;
    if ((event.key === 'Enter' || event.key === ' ') && target.matches('button, summary')) return; // its own
    const act = this.keys[event.key.toLowerCase()];
    if (act) {
      event.preventDefault();
      act();
    }
  }

  /** A page of words and what one may do. The first act is also what Enter does, unless it is a choice of several.
   * @param {string} head @param {(string | Node)[]} lines @param {[string, string, () => void][]} acts
   * @param {boolean} [choice] */
  show(head, lines, acts, choice = false) {
    this.keys = {};
    this.more = null;
    const buttons = acts.map(([words, key, act], k) => {
      if (key) this.keys[key] = act;
      if (!k && !choice) this.keys.enter = act;
      return keyed(words, key, act, k || choice ? '' : 'main');
    });
    const title = made('h1', { tabIndex: -1 }, [head]);
    this.main.replaceChildren(
      title, ...lines.map((one) => (typeof one === 'string' ? made('p', {}, [one]) : one)),
      made('div', { className: choice ? 'down' : 'row' }, buttons),
    );
    title.focus();
    scrollTo(0, 0);
  }
}

class Before {
  /** @param {any} said @param {Stage} stage @param {Sound} sound @param {Kept} kept
   * @param {(code: string) => Promise<AudioBuffer>} clip */
  constructor(said, stage, sound, kept, clip) {
    this.said = said; this.stage = stage; this.sound = sound; this.kept = kept; this.clip = clip;
    this.words = said.words;
  }

  /** @param {(takesPart: boolean) => void} done */
  run(done) {
    const { said, kept } = this;
    const checks = kept.state.checks;
    /** @type {((next: () => void) => void)[]} */
    const stages = [(next) => this.instructions(next)];
    const ask = () => {
      if (said.entry.length && !checks.entry) this.entry([], () => (checks.turned_away ? done(false) : this.along(stages, done)));
      else this.along(stages, done);
    };
    if (said.level) stages.push((next) => this.level(next));
    if (said.headphones && !checks.headphones) stages.push((next) => this.headphones(next));
    if (checks.turned_away) {
      done(false);
      return;
    }
    if (said.notice.length && !checks.consent) this.notice(() => (checks.turned_away ? done(false) : ask()));
    else ask();
  }

  /** What is agreed to, by a key or a click that nobody presses by chance. @param {() => void} next */
  notice(next) {
    const { words } = this;
    const said = (/** @type {Record<string, string>} */ checks) => () => { this.kept.note(checks); next(); };
    this.stage.show(words.listening_test, this.said.notice, [
      [words.agree, '1', said({ consent: 'given' })], [words.disagree, '2', said({ turned_away: 'declined' })],
    ], true);
  }

  /** @param {((next: () => void) => void)[]} stages @param {(takesPart: boolean) => void} done */
  along(stages, done) {
    const [first, ...rest] = stages;
    if (first) first(() => this.along(rest, done));
    else done(true);
  }

  /** @param {number[]} given @param {() => void} next */
  entry(given, next) {
    const question = this.said.entry[given.length];
    if (!question) {
      this.kept.note({ entry: given });
      next();
      return;
    }
    const answered = (/** @type {number} */ k) => {
      if (!question.answers[k].admits) {
        this.kept.note({ entry: [...given, k], turned_away: 'unsuited' });
        next();
      } else {
        this.entry([...given, k], next);
      }
    };
    this.stage.show(question.words, [], question.answers.map(
      (/** @type {any} */ one, /** @type {number} */ k) => [one.words, String(k + 1), () => answered(k)],
    ), true);
  }

  /** @param {() => void} next */
  instructions(next) {
    const [first, ...rest] = this.said.instructions;
    const { words } = this;
    const back = this.kept.done().size + this.said.answered;
    const total = this.said.trials.length + this.said.answered;
    const lines = back ? [filled(words.welcome_back, { done: back, total }), first, ...rest] : [first, ...rest];
    lines.push(this.kept.works ? words.kept : words.unkept);
    this.stage.show(words.listening_test, lines, [[words.begin, '', () => { this.sound.context.resume(); next(); }]]);
  }

  /** @param {() => void} next */
  async level(next) {
    const { words, sound } = this;
    const play = async () => {
      sound.load([Sound.lane(await this.clip(this.said.level), null)]);
      sound.play();
    };
    this.stage.show(words.level, [], [
      [words.go_on, '', () => { sound.load([]); this.kept.note({ level: 'set' }); next(); }],
      [words.again, 'a', play],
    ]);
    await play();
  }

  /** @param {() => void} next */
  headphones(next) {
    this.stage.show(this.words.headphones, [], [[this.words.begin, '', () => this.tones(0, 0, next)]]);
  }

  /** @param {number} trial @param {number} right @param {() => void} next */
  tones(trial, right, next) {
    const { words, sound } = this;
    const { plan, to_pass: toPass } = this.said.headphones;
    if (trial === plan.length) {
      const passed = right >= toPass;
      sound.load([]);
      this.kept.note({ headphones: { right, of: plan.length, passed } });
      /** @type {[string, string, () => void][]} */
      const acts = [[words.go_on, '', next]];
      if (!passed) acts.push([words.again, 'a', () => this.headphones(next)]);
      this.stage.show(passed ? words.headphones_passed : words.headphones_failed, [], acts);
      return;
    }
    const heard = (/** @type {number} */ k) => {
      if (sound.share(0) < 0.7) return; // a guess before all three were heard tells nothing
      this.tones(trial + 1, right + (k === plan[trial][0] ? 1 : 0), next);
    };
    this.stage.show(words.softest, [`${trial + 1} / ${plan.length}`], [
      [words.first, '1', () => heard(0)], [words.second, '2', () => heard(1)], [words.third, '3', () => heard(2)],
    ], true);
    sound.load([Sound.lane(this.threeTones(plan[trial]), null)]);
    sound.play();
  }

  /** @param {[number, number]} places of the softer one and of the one in opposite phase */
  threeTones([softer, opposed]) {
    const { hz, lasts_s: lasts, ramp_s: ramp, between_s: gap, softer_db: db, level } = this.said.headphones;
    const rate = this.sound.context.sampleRate;
    const buffer = this.sound.context.createBuffer(2, Math.round(rate * (3 * lasts + 2 * gap)), rate);
    const [left, right] = [buffer.getChannelData(0), buffer.getChannelData(1)];
    for (let tone = 0; tone < 3; tone += 1) {
      const first = Math.round(tone * (lasts + gap) * rate);
      const loud = level * (tone === softer ? 10 ** (-db / 20) : 1);
      for (let k = 0; k < lasts * rate; k += 1) {
        const t = k / rate;
        const rise = Math.min(1, Math.min(t, lasts - t) / ramp);
        const value = loud * Math.sin(Math.PI / 2 * rise) ** 2 * Math.sin(2 * Math.PI * hz * t);
        left[first + k] = value;
        right[first + k] = tone === opposed ? -value : value;
      }
    }
    return buffer;
  }
}
