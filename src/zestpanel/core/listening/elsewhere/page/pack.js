/** A pack: clips stand in the page, and the answers leave it as a file that the listener sends. */

const zestSession = (() => {
  const { session: said, secret } = JSON.parse(/** @type {HTMLElement} */ (document.getElementById('data')).textContent || '');

  /** @param {string} code */
  const bytes = async (code) => {
    const text = /** @type {HTMLElement} */ (document.getElementById(`clip-${code}`)).textContent || '';
    return Uint8Array.from(atob(text), (one) => one.charCodeAt(0)).buffer;
  };

  /** @param {Session} session @param {boolean} finished */
  const answers = (session, finished) => {
    const { client, begun, checks, entries } = session.kept.state;
    const says = JSON.stringify({ session: said.code, client, begun, saved: new Date().toISOString(), finished, checks, entries });
    return `${JSON.stringify({ format: 'answers of a listening session', version: 1, says, signed: signed(secret, says) })}\n`;
  };

  /** @param {Session} session @param {boolean} finished */
  const over = (session, finished) => {
    const { words } = session;
    const { done, total } = session.counts;
    const name = `answers-${said.code.slice(0, 8)}.json`;
    const told = made('p', { role: 'status' });
    const save = () => {
      const link = made('a', { href: URL.createObjectURL(new Blob([answers(session, finished)], { type: 'application/json' })),
        download: name });
      link.click();
      session.handedOver = true;
      told.textContent = filled(words.saved, { name });
    };
    const text = made('textarea', { readOnly: true, value: answers(session, finished), 'aria-label': words.answers });
    const head = session.instead || (finished ? words.thanks : filled(words.stopped, { place: done, total }));
    /** @type {[string, string, () => void][]} */
    const acts = [[words.save, '', save]];
    if (!finished && !session.instead) acts.push([words.go_on_listening, 'g', () => session.next()]);
    session.stage.show(head, [words.send], acts);
    session.stage.main.append(told, made('details', {}, [made('summary', {}, [words.as_text]), text]));
  };

  return new Session(said, /** @type {HTMLElement} */ (document.getElementById('main')), bytes, over);
})();
zestSession.begin();
