/** A trial as it is described: its clips, which swap at the same place in the text, and its questions. */

class Trial {
  /** @param {any} trial @param {any} said @param {Stage} stage @param {Sound} sound
   * @param {{place: string, back: (() => void) | null, stop: () => void,
   *   answered: (given: object, note: string) => void}} around */
  constructor(trial, said, stage, sound, around) {
    this.trial = trial; this.said = said; this.stage = stage; this.sound = sound; this.around = around;
    this.words = said.words;
    /** @type {Record<string, any>} */ this.given = {};
    this.began = performance.now();
    this.asked = 0;
    /** @type {(number | null)[]} */ this.places = [];
    this.loopFrom = -1;
    this.first = trial.lanes.filter((/** @type {any} */ one) => one.reference).length;
  }

  get question() {
    return this.trial.questions[this.asked];
  }

  get may() {
    const { sound } = this;
    return sound.lanes.length === this.trial.lanes.length
      && sound.lanes.every((_, k) => sound.share(k) >= this.trial.must_hear - 1e-6)
      && !(this.question.once && sound.playing);
  }

  /** @param {number} lane */
  keyOf(lane) {
    const references = this.trial.lanes.slice(0, lane + 1).filter((/** @type {any} */ one) => one.reference).length;
    return this.trial.lanes[lane].reference ? '0' : String(lane + 1 - references);
  }

  /** @param {number} lane */
  nameOf(lane) {
    return this.trial.lanes[lane].name || filled(this.words.sample, { k: lane - this.first + 1 });
  }

  draw() {
    const { words, trial, stage } = this;
    const heading = made('h1', { tabIndex: -1, className: 'where' }, [this.around.place]);
    this.restart = keyed(words.start, 'Home', () => this.anew());
    this.looped = keyed(words.loop_from, 'l', () => this.loop());
    this.back = this.around.back ? keyed(words.back, 'Backspace', this.around.back) : null;
    const leave = keyed(words.stop, 'Escape', this.around.stop);
    this.play = keyed(words.play, '', () => this.toggle());
    const several = trial.lanes.length > 1;
    this.clips = several ? trial.lanes.map((/** @type {any} */ _, /** @type {number} */ k) => (
      keyed(this.nameOf(k), this.keyOf(k), () => this.hear(k)))) : [];
    this.progress = made('progress', { max: 1, value: 0, 'aria-label': words.heard });
    this.hint = made('p', { className: 'quiet', role: 'status' });
    this.asking = made('section', {});
    this.remark = this.said.remarks ? made('input', { type: 'text', maxLength: 5000, placeholder: words.remark,
      'aria-label': words.remark }) : null;
    stage.main.replaceChildren(
      made('header', {}, [heading, this.restart, this.looped, ...(this.back ? [this.back] : []), leave]),
      ...(trial.text ? [made('p', { className: 'reading', lang: trial.text_language }, [trial.text])] : []),
      made('div', { className: 'row middle', role: 'group', 'aria-label': words.samples }, [this.play, ...this.clips]),
      this.progress, this.hint, this.asking, ...(this.remark ? [this.remark] : []),
    );
    stage.keys = {};
    stage.more = (event) => this.pressed(event);
    this.hint.textContent = words.preparing;
    heading.focus();
    scrollTo(0, 0);
    this.ask(0);
  }

  /** @param {number} at */
  ask(at) {
    this.asked = at;
    const { question, words } = this;
    const parts = [made('h2', {}, [question.words])];
    this.places = Array(question.places).fill(null);
    if (question.places) parts.push(...this.line(question));
    else if (question.choices.length) {
      parts.push(made('div', { className: 'down', role: 'group', 'aria-label': question.words }, question.choices.map(
        (/** @type {any} */ one) => keyed(one.words, one.key, () => this.answer(one.value)),
      )));
    } else {
      this.field = made('input', { type: 'text', maxLength: 5000, autocomplete: 'off', 'aria-label': words.written,
        spellcheck: false });
      parts.push(this.field, made('div', { className: 'row' }, [
        keyed(words.go_on, 'Enter', () => this.answer(this.field.value), 'main'),
      ]));
    }
    this.asking.replaceChildren(...parts);
    this.update();
  }

  /** @param {any} question @returns {HTMLElement[]} */
  line(question) {
    const low = [...question.bands].reverse();
    const out = [made('div', { className: 'bands', 'aria-hidden': 'true' }, low.map((one) => made('span', {}, [one])))];
    this.sliders = this.places.map((_, k) => {
      const shown = made('output', {}, [this.words.not_placed]);
      const slider = made('input', { type: 'range', min: 0, max: 100, value: 50, id: `place-${k}`, className: 'unplaced' });
      slider.setAttribute('aria-valuetext', this.words.not_placed);
      const put = () => {
        this.places[k] = Number(slider.value);
        slider.className = '';
        shown.textContent = slider.value;
        const band = low[Math.min(4, Math.floor(Number(slider.value) / 20))];
        slider.setAttribute('aria-valuetext', band ? `${slider.value}, ${band}` : slider.value);
        this.update();
      };
      slider.addEventListener('input', put);
      slider.addEventListener('click', put);
      out.push(made('div', { className: 'placed' }, [
        made('label', { htmlFor: `place-${k}` }, [this.nameOf(k + this.first)]), slider, shown,
      ]));
      return slider;
    });
    this.goOn = keyed(this.words.go_on, 'Enter', () => this.answer([...this.places]), 'main');
    out.push(made('div', { className: 'row' }, [this.goOn]));
    return out;
  }

  /** @param {KeyboardEvent} event @returns {boolean} whether it meant something here */
  pressed(event) {
    const target = /** @type {HTMLElement} */ (event.target);
    const typing = target.matches('input[type="text"]');
    const key = event.key.length === 1 ? event.key.toLowerCase() : event.key;
    if (event.ctrlKey) {
      if (key === ' ') this.toggle();
      return key === ' ';
    }
    if (typing) {
      if (key !== 'Enter') return false;
      if (target === this.field) this.answer(this.field.value);
      else this.stage.main.querySelector('h1')?.focus();
      return true;
    }
    if ((key === 'Enter' || key === ' ') && target.matches('button')) return false;
    if (key === 'Escape') this.around.stop();
    else if (key === 'Backspace') this.correct();
    else if (key === ' ') this.toggle();
    else if (key === 'Home' && !target.matches('input')) this.anew();
    else if (key === 'ArrowLeft' && !target.matches('input')) this.sound.seek(Math.max(0, this.sound.time - 2));
    else if (this.question.places && key === 'Enter') this.answer([...this.places]);
    else {
      const choice = this.question.choices.find((/** @type {any} */ one) => one.key === key);
      const lane = this.trial.lanes.length > 1
        ? this.trial.lanes.findIndex((/** @type {any} */ _, /** @type {number} */ k) => this.keyOf(k) === key) : -1;
      if (choice) this.answer(choice.value);
      else if (lane >= 0) this.hear(lane);
      else if (key === 'l' && !this.question.once) this.loop();
      else return false;
    }
    return true;
  }

  /** @param {number} lane */
  hear(lane) {
    if (this.sound.lanes.length <= lane) return;
    this.sound.swap(lane);
    this.sound.play();
    if (this.question.places && lane >= this.first && this.sliders) this.sliders[lane - this.first].focus();
  }

  toggle() {
    const { sound } = this;
    if (sound.playing) sound.pause();
    else if (!this.question.once || sound.lanes.some((_, k) => sound.share(k) < 1)) sound.play();
  }

  anew() {
    if (this.question.once || !this.sound.lanes.length) return;
    this.sound.seek(0);
    this.sound.play();
  }

  /** First press: it begins here; second: it ends here; third: no loop. */
  loop() {
    const { sound } = this;
    if (sound.loop) {
      sound.loop = null;
      this.loopFrom = -1;
    } else if (this.loopFrom < 0) {
      this.loopFrom = sound.place;
    } else {
      sound.loop = sound.place > this.loopFrom ? [this.loopFrom, sound.place] : null;
      this.loopFrom = -1;
    }
    this.update();
  }

  correct() {
    if (this.asked && !this.trial.questions.some((/** @type {any} */ one) => one.once)) this.ask(this.asked - 1);
    else if (this.around.back) this.around.back();
  }

  /** @param {any} value */
  answer(value) {
    if (!this.may || (Array.isArray(value) && value.some((one) => one === null))) {
      this.update();
      return;
    }
    this.given[this.question.name] = value;
    if (this.asked + 1 < this.trial.questions.length) this.ask(this.asked + 1);
    else this.around.answered(this.given, this.remark ? this.remark.value.trim() : '');
  }

  heard() {
    return this.sound.lanes.map((lane, k) => [Math.round(this.sound.share(k) * 1e4) / 1e4, lane.plays]);
  }

  update() {
    const { sound, words, question } = this;
    if (!this.play || !this.restart || !this.looped) return;
    const { may } = this;
    const ready = sound.lanes.length === this.trial.lanes.length;
    this.play.replaceChildren(sound.playing ? words.pause : words.play);
    this.play.disabled = !ready || (question.once && !sound.playing && may);
    this.restart.hidden = question.once;
    this.looped.hidden = question.once || !this.trial.by_text;
    /** @type {ChildNode} */ (this.looped.lastChild).textContent = sound.loop ? words.no_loop : this.loopFrom < 0 ? words.loop_from : words.loop_to;
    for (const [k, one] of this.clips.entries()) {
      one.disabled = !ready;
      one.setAttribute('aria-pressed', String(ready && sound.on === k));
    }
    for (const one of this.asking.querySelectorAll('.down button')) one.disabled = !may;
    this.asking.hidden = question.once && !may;
    if (this.goOn) this.goOn.disabled = !may || this.places.includes(null);
    if (!ready) return;
    this.progress.value = Math.min(1, sound.share(sound.on) / Math.max(0.01, this.trial.must_hear));
    const said = this.whatToDo(may);
    if (this.hint.textContent !== said) this.hint.textContent = said;
  }

  /** @param {boolean} may */
  whatToDo(may) {
    const { words, question } = this;
    const must = `${Math.round(this.trial.must_hear * 100)} %`;
    if (!may) {
      if (question.once) return words.once;
      return filled(this.clips.length ? words.listen_each : words.listen_one, { must });
    }
    if (question.places) return this.places.includes(null) ? words.place_each : words.placed;
    if (!question.choices.length) return words.write;
    return filled(words.answer, { keys: question.choices.map((/** @type {any} */ one) => one.key.toUpperCase()).join(', ') });
  }
}
