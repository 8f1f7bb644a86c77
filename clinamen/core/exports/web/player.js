// Plays a scene: hands the drivers to the style sheet, which holds every rule. Without scroll timelines it passes the
// scroll's progress on once a frame; the pointer settles as a critically damped spring whose pace comes from Python.
(() => {
  'use strict';
  if (window.Clinamen) { window.Clinamen.mountAll(); return; }  // another scene's player is here already: one is enough
  const timelines = CSS.supports('animation-timeline: view()');
  const calm = matchMedia('(prefers-reduced-motion: reduce)');
  const scales = CSS.supports('scale: tan(atan2(1cqw, 1px))');

  class Player {
    constructor(run) {
      this.run = run;
      this.name = run.dataset.scene;
      this.host = run.firstElementChild;
      this.stage = this.host.firstElementChild;
      this.omega = 'settle' in run.dataset ? PACE / Math.max(+run.dataset.settle, 1e-6) : 0;
      this.spring = {u: 0, v: 0, du: 0, dv: 0, tu: 0, tv: 0, at: 0, busy: false};
      this.over = new AbortController();
      this.across = 'across' in run.dataset;
      this.port = portOf(run, this.across);
      if (!scales) new ResizeObserver(() => this.fit()).observe(this.host);
      if (run.dataset.held !== 'edit') { this.live(); this.unveil(); }
      queueMicrotask(() => this.tell('ready', {}));
    }
    listen(target, name, does) {
      target.addEventListener(name, does, {passive: true, capture: true, signal: this.over.signal});
    }
    tell(name, detail) { this.run.dispatchEvent(new CustomEvent(`clinamen:${name}`, {detail})); }
    set(values) {
      for (const [key, value] of Object.entries(values)) this.stage.style.setProperty(`--${this.name}-${key}`, value);
    }
    // From now on --scroll and --time say where every animation stands, not how long it has run before.
    hold(by) {
      this.run.dataset.held = by;
      for (const animation of this.run.getAnimations({subtree: true})) animation.currentTime = 0;
    }
    // The poster is taken away when the art is there, and at once where the scene has scrolled on.
    unveil() {
      const done = () => { this.run.dataset.loaded = ''; };
      if (this.progress > 0) done();
      else Promise.allSettled([...this.stage.querySelectorAll('img')].map((image) => image.decode())).then(done);
    }
    live() {
      if (!timelines) {
        this.hold('script');
        const pass = () => { this.waiting = false; this.pass(); };
        const ask = () => { if (!this.waiting) { this.waiting = true; requestAnimationFrame(pass); } };
        this.listen(window, 'scroll', ask);
        this.listen(window, 'resize', ask);
        this.pass();
        if (this.run.dataset.time) this.clock();
      }
      if (this.omega && !calm.matches) {
        this.listen(window, 'pointermove', (event) => {
          const box = this.host.getBoundingClientRect();
          this.aim(2 * (event.clientX - box.left) / box.width - 1, 2 * (event.clientY - box.top) / box.height - 1);
        });
        if (!('stays' in this.run.dataset)) document.documentElement.addEventListener('pointerleave', () => this.aim(0, 0), {signal: this.over.signal});
      }
      if (this.across) this.rolls();
      if (this.run.dataset.time && 'waits' in this.run.dataset) this.wait();
      if (this.omega && this.run.dataset.tilt && !calm.matches && navigator.maxTouchPoints && window.DeviceOrientationEvent) this.tilts();
      if (this.run.dataset.time && !calm.matches) this.button();
    }
    // The clock begins when half of the scene, or half of the window, is seen.
    wait() {
      this.run.dataset.unseen = '';
      this.seek({time: 0});
      const eye = new IntersectionObserver(([{isIntersecting: seen}]) => {
        if (!seen) return;
        delete this.run.dataset.unseen;
        eye.disconnect();
      }, {threshold: 0.5});
      eye.observe(this.host);
      this.over.signal.addEventListener('abort', () => eye.disconnect());
    }
    // Where nothing scrolls down, a plain wheel scrolls across.
    rolls() {
      this.listen(window, 'wheel', (event) => {
        const box = this.port ?? document.documentElement;
        if (event.deltaX || event.ctrlKey || event.shiftKey || box.scrollHeight > box.clientHeight || !box.contains(event.target)) return;
        (this.port ?? window).scrollBy(event.deltaY * (event.deltaMode ? 20 : 1), 0);
      });
    }
    // A held device's (one with a touch screen) tilt from where it was held at first stands in for the pointer. Some browsers have to be asked, by a press.
    tilts() {
      let level;
      const lean = ({beta, gamma}) => {
        if (beta === null) return;
        level ??= {beta, gamma};
        this.aim((gamma - level.gamma) / this.run.dataset.tilt, (beta - level.beta) / this.run.dataset.tilt);
      };
      const begin = () => this.listen(window, 'deviceorientation', lean);
      const events = /** @type {any} */ (DeviceOrientationEvent);
      if (!events.requestPermission) { begin(); return; }
      const button = Object.assign(document.createElement('button'), {className: 'clinamen-pause', textContent: 'Tilt'});
      Object.assign(button.style, {right: 'auto', left: '16px'});
      button.addEventListener('click', async () => {
        button.remove();
        if (await events.requestPermission().catch(() => '') === 'granted') begin();
      });
      this.host.append(button);
    }
    // How many pixels the page has scrolled since the scene's edge met the window's, or that of the box that scrolls it.
    get gone() {
      const box = this.run.getBoundingClientRect(), port = this.port, edge = port?.getBoundingClientRect();
      return this.across ? (port ? edge.left + port.clientLeft : 0) - box.left : (port ? edge.top + port.clientTop : 0) - box.top;
    }
    get progress() {
      const {begin, length} = this.run.dataset;
      return calm.matches || !length ? 0 : Math.min(1, Math.max(0, (this.gone - begin) / length));
    }
    pass() { this.set({scroll: this.progress}); }
    // From now on `clinamen:progress` tells how far the scroll is, once a frame while it moves.
    watch() {
      let told = -1, asked = false;
      const tell = () => { asked = false; if (told !== this.progress) this.tell('progress', {scroll: told = this.progress}); };
      this.listen(window, 'scroll', () => { if (!asked) { asked = true; requestAnimationFrame(tell); } });
      tell();
    }
    /** Go to a place of the scroll (0 to 1) and of the clock (seconds). @param {{scroll?: number, time?: number}} place */
    seek({scroll, time}) {
      const {begin, length} = this.run.dataset;
      if (scroll !== undefined && length) {
        const by = +begin + scroll * length - this.gone;
        (this.port ?? window).scrollBy(this.across ? by : 0, this.across ? 0 : by);
      }
      if (time === undefined) return;
      this.asked = time;
      if (this.run.dataset.held) this.set({time});
      else for (const one of this.run.getAnimations({subtree: true})) if (one.timeline === document.timeline) one.currentTime = 1000 * time;
    }
    // The scene rests from now on, and nothing of this player is left at work.
    end() {
      this.over.abort();
      this.ended = true;
      this.run.querySelector('.clinamen-pause')?.remove();
      delete this.run.dataset.still;
      delete this.run.dataset.unseen;
      this.hold('ended');
      this.set({scroll: 0, time: 0, u: 0, v: 0});
      delete this.run.player;
    }
    clock() {
      let before = performance.now(), time = 0;
      const tick = (now) => {
        if (this.ended) return;
        if (this.asked !== undefined) { time = this.asked; this.asked = undefined; }
        else if (!('still' in this.run.dataset || 'unseen' in this.run.dataset)) time += Math.max(0, now - before) / 1000;
        before = now;
        this.set({time});
        if (!calm.matches) requestAnimationFrame(tick);
      };
      requestAnimationFrame(tick);
    }
    // Motion that runs by itself can be paused (WCAG 2.2, 2.2.2).
    button() {
      const button = document.createElement('button');
      const show = () => { button.textContent = 'still' in this.run.dataset ? 'Play' : 'Pause'; };
      button.className = 'clinamen-pause';
      button.addEventListener('click', () => { this.run.toggleAttribute('data-still'); show(); });
      show();
      this.host.append(button);
    }
    aim(u, v) {
      const s = this.spring, dead = +(this.run.dataset.dead ?? 0);
      const beyond = (place) => Math.sign(place) * Math.max(0, Math.min(1, Math.abs(place)) - dead) / (1 - dead);
      s.tu = beyond(u);
      s.tv = beyond(v);
      if (!s.busy) { s.busy = true; s.at = performance.now(); requestAnimationFrame((now) => this.settle(now)); }
    }
    settle(now) {
      if (this.ended) return;
      const s = this.spring, dt = Math.max(0, now - s.at) / 1000, fade = Math.exp(-this.omega * dt);
      s.at = now;
      for (const a of ['u', 'v']) {
        const away = s[a] - s[`t${a}`], drive = s[`d${a}`] + this.omega * away;
        s[a] = s[`t${a}`] + (away + drive * dt) * fade;
        s[`d${a}`] = (s[`d${a}`] - this.omega * drive * dt) * fade;
      }
      s.busy = Math.abs(s.u - s.tu) + Math.abs(s.v - s.tv) > 1e-4 || Math.abs(s.du) + Math.abs(s.dv) > 1e-3;
      if (!s.busy) { s.u = s.tu; s.v = s.tv; s.du = s.dv = 0; }
      this.set({u: s.u, v: s.v});
      this.tell('pointer', {u: s.u, v: s.v});
      if (s.busy) requestAnimationFrame((next) => this.settle(next));
    }
    fit() {
      const {width, height} = this.host.getBoundingClientRect();
      const shares = [width / this.stage.offsetWidth, height / this.stage.offsetHeight];
      this.set({fit: Math[this.host.dataset.fit === 'contain' ? 'min' : 'max'](...shares)});
    }
  }
  const PACE = 5.83392491;  // settled to 2 % after this many units of ωt
  // The nearest box around an element that scrolls; null for the window. As scroll timelines choose it.
  function portOf(element, across) {
    for (let box = element.parentElement; box && box !== document.body; box = box.parentElement) {
      if (/auto|scroll|hidden/.test(getComputedStyle(box)[across ? 'overflowX' : 'overflowY'])) return box;
    }
    return null;
  }
  const mount = (run) => {
    if (run.dataset.held === 'ended') delete run.dataset.held;
    return run.player ||= new Player(run);
  };
  const mountAll = () => { for (const run of document.querySelectorAll('[data-scene]')) mount(run); };
  window.Clinamen = {mount, mountAll};

  // <clinamen-scene src="folder/"></clinamen-scene> in any page that is served from a web server.
  async function fetched(src) {
    const base = new URL(src.replace(/\/?$/, '/'), document.baseURI);
    const answer = await fetch(new URL('index.html', base));
    if (!answer.ok) throw new Error(`${base.href}index.html answers ${answer.status}`);
    const page = new DOMParser().parseFromString(await answer.text(), 'text/html');
    const run = page.querySelector('[data-scene]');
    if (!run) throw new Error(`${base.href}index.html holds no scene`);
    await Promise.all([...page.querySelectorAll('link[href="scene.css"]')].map((from) => styled(new URL(from.getAttribute('href'), base).href)));
    for (const name of ['src', 'srcset']) {
      for (const from of run.querySelectorAll(`[${name}]`)) {
        const whole = (part) => part.trim().replace(/^\S+/, (path) => new URL(path, base));
        from.setAttribute(name, from.getAttribute(name).split(',').map(whole).join(', '));
      }
    }
    return document.adoptNode(run);
  }
  // One style sheet for each scene, however often it is put in.
  function styled(href) {
    /** @type {any[]} */
    const links = [...document.querySelectorAll('link[rel=stylesheet]')];
    if (links.some((link) => link.href === href)) return null;
    const link = Object.assign(document.createElement('link'), {rel: 'stylesheet', href});
    return new Promise((done) => { link.onload = link.onerror = done; document.head.append(link); });
  }
  customElements.define('clinamen-scene', class extends HTMLElement {
    async connectedCallback() {
      if (this.run) { mount(this.run); return; }
      const src = this.getAttribute('src');
      try {
        if (!src) throw new Error('it has no src: name the folder of the scene');
        this.run = await fetched(src);
      } catch (error) { console.error(`clinamen-scene shows nothing: ${/** @type {Error} */ (error).message}`); return; }
      this.style.display = 'block';
      this.replaceChildren(this.run);
      if (this.isConnected) mount(this.run);
    }
    disconnectedCallback() { this.run?.player?.end(); }
  });
  mountAll();
})();
