// Plays a scene: hands the drivers to the style sheet, which holds every rule. Without scroll timelines it passes the
// scroll's progress on once a frame; the pointer settles as a critically damped spring whose pace comes from Python.
(() => {
  'use strict';
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
      if (!scales) new ResizeObserver(() => this.fit()).observe(this.host);
      if (run.dataset.held !== 'edit') this.live();
    }
    set(values) {
      for (const [key, value] of Object.entries(values)) this.stage.style.setProperty(`--${this.name}-${key}`, value);
    }
    // From now on --scroll and --time say where every animation stands, not how long it has run before.
    hold(by) {
      this.run.dataset.held = by;
      for (const animation of this.run.getAnimations({subtree: true})) animation.currentTime = 0;
    }
    live() {
      if (!timelines) {
        this.hold('script');
        const pass = () => { this.waiting = false; this.pass(); };
        const ask = () => { if (!this.waiting) { this.waiting = true; requestAnimationFrame(pass); } };
        addEventListener('scroll', ask, {passive: true});
        addEventListener('resize', ask);
        this.pass();
        if (this.run.dataset.time) this.clock();
      }
      if (this.omega && !calm.matches) {
        addEventListener('pointermove', (event) => {
          const box = this.host.getBoundingClientRect();
          this.aim(2 * (event.clientX - box.left) / box.width - 1, 2 * (event.clientY - box.top) / box.height - 1);
        }, {passive: true});
        document.documentElement.addEventListener('pointerleave', () => this.aim(0, 0));
      }
      if (this.run.dataset.time && !calm.matches) this.button();
    }
    pass() {
      const box = this.run.getBoundingClientRect();
      const way = box.height - innerHeight;
      this.set({scroll: calm.matches || way <= 0 ? 0 : Math.min(1, Math.max(0, -box.top / way))});
    }
    clock() {
      const begun = performance.now();
      let stood = 0;
      const tick = (now) => {
        if ('still' in this.run.dataset) stood = now - begun - (this.time || 0) * 1000;
        else this.set({time: this.time = (now - begun - stood) / 1000});
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
      const s = this.spring;
      s.tu = Math.min(1, Math.max(-1, u));
      s.tv = Math.min(1, Math.max(-1, v));
      if (!s.busy) { s.busy = true; s.at = performance.now(); requestAnimationFrame((now) => this.settle(now)); }
    }
    settle(now) {
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
      this.run.dispatchEvent(new CustomEvent('clinamen:pointer', {detail: {u: s.u, v: s.v}}));
      if (s.busy) requestAnimationFrame((next) => this.settle(next));
    }
    fit() {
      const {width, height} = this.host.getBoundingClientRect();
      const shares = [width / this.stage.offsetWidth, height / this.stage.offsetHeight];
      this.stage.style.scale = Math[this.host.dataset.fit === 'contain' ? 'min' : 'max'](...shares);
    }
  }
  const PACE = 5.83392491;  // settled to 2 % after this many units of ωt
  const mount = (run) => (run.player ||= new Player(run));
  window.Clinamen = {mount};

  // <clinamen-scene src="folder/"></clinamen-scene> in any page that is served from a web server.
  customElements.define('clinamen-scene', class extends HTMLElement {
    async connectedCallback() {
      const base = new URL(this.getAttribute('src').replace(/\/?$/, '/'), document.baseURI);
      const page = new DOMParser().parseFromString(await (await fetch(new URL('index.html', base))).text(), 'text/html');
      const styles = [...page.querySelectorAll('link[href="scene.css"]')].map((from) => {
        const link = Object.assign(document.createElement('link'), {rel: 'stylesheet'});
        link.href = new URL(from.getAttribute('href'), base).href;
        return new Promise((done) => { link.onload = link.onerror = done; document.head.append(link); });
      });
      const run = page.querySelector('[data-scene]');
      for (const name of ['src', 'srcset']) {
        for (const from of run.querySelectorAll(`[${name}]`)) {
          const whole = (part) => part.trim().replace(/^\S+/, (path) => new URL(path, base));
          from.setAttribute(name, from.getAttribute(name).split(',').map(whole).join(', '));
        }
      }
      await Promise.all(styles);
      this.style.display = 'block';
      this.replaceChildren(document.adoptNode(run));
      mount(run);
    }
  });
  for (const run of document.querySelectorAll('[data-scene]')) mount(run);
})();
