// The half of the rule for waiting (page_test.go) that runs in the page, before all of its own scripts. Nothing in
// here waits for a time to pass: it looks again and again, until what the test waits for is so.
window.waiting = (() => {
  // What moves is taken out of the page: colours are those that stay.
  const still = new CSSStyleSheet()
  still.replaceSync('*, *::before, *::after { transition: none !important; animation: none !important; scroll-behavior: auto !important }')
  document.adoptedStyleSheets = [still]

  let open = 0 // requests that have not answered
  let idle = [] // who waits until there are none
  let gate // while it is shut, the page is told of no answer
  const shut = () => {
    if (gate) return
    gate = {}
    gate.opened = new Promise((open) => (gate.open = open))
  }
  const unlock = () => {
    gate?.open()
    gate = undefined
  }
  const real = window.fetch.bind(window)
  window.fetch = async (...args) => {
    open++
    try {
      const answer = await real(...args)
      const body = await answer.arrayBuffer()
      while (gate) await gate.opened
      const whole = new Response(body.byteLength ? body : null, { status: answer.status, statusText: answer.statusText, headers: answer.headers })
      return Object.defineProperty(whole, 'url', { value: answer.url })
    } finally {
      while (gate) await gate.opened
      if (--open === 0) for (const go of idle.splice(0)) go()
    }
  }

  const frame = () => new Promise((done) => requestAnimationFrame(done))
  const timeout = window.setTimeout.bind(window)
  const again = () => new Promise((done) => timeout(done, 30)) // before looking once more
  // rest ends when no request is open and what they said is drawn.
  const rest = async () => {
    do {
      self.why = `waiting for ${open} requests`
      if (open > 0 && !self.meanwhile) await new Promise((go) => idle.push(go))
      await frame()
      await frame()
    } while (open > 0 && !self.meanwhile)
  }

  const all = (selector) => {
    if (!/^[/(]/.test(selector)) return [...document.querySelectorAll(selector)]
    const found = document.evaluate(selector, document, null, XPathResult.ORDERED_NODE_SNAPSHOT_TYPE)
    return Array.from({ length: found.snapshotLength }, (_, n) => found.snapshotItem(n))
  }
  const seen = (e) => e.checkVisibility({ visibilityProperty: true }) && e.getClientRects().length > 0
  const find = (selector) => all(selector)[0]
  const visible = (selector) => all(selector).find(seen)
  const until = async (why, is) => {
    self.why = why
    while (!is()) await again()
    return true
  }

  // usable waits for an element that a person could use.
  const usable = async (selector) => {
    await until(`waiting for ${selector}, to be used`, () => visible(selector) && !visible(selector).disabled)
    await rest()
    return visible(selector) ?? usable(selector)
  }

  let aimed, clicked
  window.addEventListener(
    'click',
    (e) => {
      clicked ??= e.target
      unlock()
    },
    true,
  )

  // place is where to click an element; a word instead says why it cannot be clicked now.
  const place = (e) => {
    if (e.disabled || e.ariaDisabled === 'true' || e.closest('.is-loading')) return 'it is disabled'
    const box = e.getClientRects()[0]
    const [x, y] = [box.left + box.width / 2, box.top + box.height / 2]
    if (x < 0 || y < 0 || x >= innerWidth || y >= innerHeight) return 'it is out of sight'
    const top = document.elementFromPoint(x, y)
    if (!e.contains(top) && !top?.closest('label')?.contains(e)) return `it is under ${told(top)}`
    return [x, y]
  }

  // aim ends when one of the elements stands still, is enabled and on top, with where to click it; until it is
  // clicked the page is told of nothing new.
  const aim = async (selector) => {
    for (;;) {
      await rest()
      const some = all(selector).filter(seen)
      const e = some.find((e) => typeof place(e) !== 'string') ?? some[0]
      let at = e ? place(e) : 'it is not to be seen'
      if (typeof at !== 'string') {
        const before = at.join()
        await frame()
        at = place(e)
        if (typeof at !== 'string' && at.join() !== before) at = 'it moves'
      }
      if (typeof at !== 'string' && (open === 0 || self.meanwhile)) {
        shut()
        const label = document.elementFromPoint(...at).closest('label')
        aimed = label?.contains(e) ? label : e
        clicked = undefined
        return at
      }
      self.why = `waiting to click ${selector}: ${at}`
      e?.scrollIntoView({ block: 'center', inline: 'center' })
      await again()
    }
  }
  const told = (e) => (e ? e.outerHTML.slice(0, 200) : 'nothing')

  // hit tells what else a click went to; '' when it was what was aimed at.
  const hit = async () => {
    unlock()
    const [wanted, got] = [aimed, clicked]
    aimed = clicked = undefined
    return !wanted || wanted.contains(got) ? '' : told(got)
  }

  const self = {
    meanwhile: false, // the test looks while requests are open on purpose
    why: '', // what is waited for, for a test that fails
    all,
    find,
    shows: (selector) => until(`waiting to see ${selector}`, () => visible(selector)),
    gone: (selector) => until(`waiting for ${selector} to go`, () => !find(selector)),
    hidden: (selector) => until(`waiting for ${selector} to be hidden`, () => !visible(selector)),
    aim,
    hit,
    focus: async (selector) => {
      const e = await usable(selector)
      e.focus()
      return true
    },
    mark: async (selector) => {
      const e = await usable(selector)
      e.focus()
      e.select?.()
      return true
    },
    set: async (selector, n, value) => {
      await until(`waiting for ${selector}`, () => all(selector)[n])
      await rest()
      const e = all(selector)[n]
      e.value = value
      e.dispatchEvent(new Event('input', { bubbles: true }))
      return e.dispatchEvent(new Event('change', { bubbles: true }))
    },
    rested: async (look) => {
      await rest()
      return look()
    },
  }
  return self
})()
