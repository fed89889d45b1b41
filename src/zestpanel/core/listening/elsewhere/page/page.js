/** A page by a link: clips are fetched as they are wanted, answers are sent as they are given and kept until they are
 * acknowledged. */

const zestSession = (() => {
  const { session: said, over, completion: known } = JSON.parse(/** @type {HTMLElement} */ (document.getElementById('data')).textContent || '');
  const here = location.pathname.replace(/\/$/, '');

  /** @param {string} code */
  const bytes = async (code) => {
    for (let later = 500; ; later = Math.min(10000, 2 * later)) {
      const reply = await fetch(`${here}/${code}`).catch(() => null); // null while the line is gone: that is no broken clip
      if (reply && reply.ok) {
        const data = await reply.arrayBuffer().catch(() => null);
        if (data) return data;
      } else if (reply && reply.status === 410) {
        session.closed = true;
        ended();
        return new Promise(() => {});
      } else if (reply && reply.status < 500) throw new Error(`${reply.status}`);
      await new Promise((done) => { setTimeout(done, later); });
    }
  };

  const session = new Session(said, /** @type {HTMLElement} */ (document.getElementById('main')), bytes, () => ended());
  const { kept, words } = session;
  let waiting = false;
  let wait = 1000;
  let completion = known || '';

  const unsent = () => kept.state.entries.filter((one) => one.sequence > (kept.state.sent || 0));

  /** What was not acknowledged yet, once more where that fails: each time later, and as soon as the line is back. */
  const send = async () => {
    if (waiting) return;
    const { client, begun, checks, entries } = kept.state;
    const fresh = unsent();
    const last = entries.length;
    waiting = true;
    try {
      const reply = await fetch(`${here}/answers`, {
        method: 'POST', headers: { 'Content-Type': 'application/json' },
        body: JSON.stringify({ session: said.code, client, begun, saved: new Date().toISOString(),
          finished: session.index >= said.trials.length, checks, entries: fresh }),
      });
      if (reply.status === 410) session.closed = true;
      if (!reply.ok) throw new Error(`${reply.status}`);
      const told = await reply.json();
      ({ completion } = told);
      if (told.away && !kept.state.checks.turned_away) { // others took the last place meanwhile
        kept.state.checks.turned_away = 'enough';
        session.turnedAway();
      }
      kept.state.sent = last;
      kept.save();
      wait = 1000;
      waiting = false;
      if (unsent().length) send();
    } catch {
      setTimeout(() => { waiting = false; send(); }, wait);
      wait = Math.min(30000, 2 * wait);
    }
    if (session.isOver) ended();
  };

  const ended = () => {
    session.isOver = true;
    session.handedOver = !unsent().length;
    const { done, total } = session.counts;
    const finished = session.index >= said.trials.length;
    const lines = [session.closed ? words.closed : unsent().length ? filled(words.waiting, { n: unsent().length }) : words.arrived];
    if (completion) lines.push(filled(words.completion, { code: completion }));
    /** @type {[string, string, () => void][]} */
    const acts = finished || session.instead ? [] : [[words.go_on_listening, '', () => { session.isOver = false; session.next(); }]];
    session.stage.show(session.instead || (finished ? words.thanks : filled(words.stopped, { place: done, total })), lines, acts);
    if (unsent().length) send();
  };

  const add = kept.add.bind(kept);
  kept.add = (entry) => { add(entry); send(); };
  const note = kept.note.bind(kept);
  kept.note = (checks) => { note(checks); send(); };
  addEventListener('online', () => { wait = 1000; send(); });
  if (over !== 'yes') { // whether somebody takes part is known where the answers go
    if (over === 'away') kept.state.checks.turned_away ||= 'away';
    else if (kept.state.checks.turned_away) ['turned_away', 'entry', 'consent'].forEach((one) => delete kept.state.checks[one]);
  }
  if (over === 'yes') session.begin = () => { session.index = said.trials.length; session.end(true); };
  return session;
})();
zestSession.begin();
