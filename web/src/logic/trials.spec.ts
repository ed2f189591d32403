import { expect, test } from 'vitest'
import type { Schemas } from '@/data/api'
import { linksIn, useTrials, type Trial } from './trials'

const gives = (link: string, problem?: string): Trial => ({
  link,
  problem,
  offers: [],
  remarks: [],
  same: [],
  alike: [],
  fewer: [],
  ...(problem
    ? {}
    : {
        preview: { entries: 3 } as Schemas['Preview'],
        proposal: { name: `Of ${link}`, platform: 'Desk', every: 3600 },
      }),
})

test('each link once, one a line', () => {
  expect(linksIn(' a \r\n\nb\na\n')).toEqual(['a', 'b'])
})

test('of 200 links of which 30 are wrong the good ones are kept, and the others stay with why', async () => {
  let at = 0
  let most = 0
  const added: Schemas['FeedRequest'][] = []
  const t = useTrials(
    async ({ url = '' }) => {
      most = Math.max(most, ++at)
      await Promise.resolve()
      at--
      const n = Number(url.slice(1))
      if (n % 20 === 0) throw new Error('the service is away')
      return gives(url, n % 10 === 5 ? 'this is a web page' : undefined)
    },
    (body) => {
      added.push(body)
      if (body.url === 'l7') return Promise.reject(new Error('another feed has this name'))
      return Promise.resolve({ name: body.name, entries: 3 } as Schemas['Feed'])
    },
    () => Promise.reject(new Error('on no other calendar')),
  )
  const links = Array.from({ length: 200 }, (_, i) => `l${i}`)
  await t.begin(links.join('\n'))
  expect([t.looked.value, t.good.value.length, most]).toEqual([200, 170, 4])
  const done = await t.subscribe()
  expect(done).toHaveLength(169)
  expect(added.find((b) => b.url === 'l1')).toMatchObject({ name: 'Of l1', platform: 'Desk', every: 3600 })
  expect(t.rows.value).toHaveLength(31)
  const said = new Map(t.rows.value.map((r) => [r.url, r.failed ?? r.trial?.problem]))
  expect([said.get('l20'), said.get('l25'), said.get('l7')]).toEqual([
    'the service is away',
    'this is a web page',
    'another feed has this name',
  ])
})

test('a file goes in without a schedule; of an archive one calendar is meant', async () => {
  const looked: Schemas['TrialRequest']['links'] = []
  const added: Schemas['FeedRequest'][] = []
  const put: unknown[] = []
  const t = useTrials(
    (link) => {
      looked.push(link)
      return Promise.resolve(
        link.file?.inside
          ? gives('all.zip')
          : { ...gives('all.zip', 'several'), offers: [{ link: '#a.ics', name: 'a.ics' }] },
      )
    },
    (body) => {
      added.push(body)
      return Promise.resolve({ id: 3, name: body.name, entries: 1 } as Schemas['Feed'])
    },
    (...link) => Promise.resolve(put.push(link)),
  )
  await t.beginFiles([{ name: 'all.zip', content: 'UEs=' }])
  const [row] = t.rows.value
  if (!row) throw new Error('no row')
  await t.instead(row, { link: '#a.ics', name: 'a.ics' })
  expect(looked.map((l) => l.file?.inside)).toEqual([undefined, 'a.ics'])
  row.calendars = [7, 9]
  row.units = 2
  row.tentative = 'firm'
  await t.subscribe()
  expect(put).toEqual([[9, 3, { role: 'blocks', tentative: 'firm', units: 2 }]])
  expect(added).toEqual([
    {
      file: { name: 'all.zip', content: 'UEs=', inside: 'a.ics' },
      platform: 'Desk',
      name: 'Of all.zip',
      color: undefined,
      calendar: 7,
      link: { role: 'blocks', tentative: 'firm', units: 2 },
    },
  ])
})
