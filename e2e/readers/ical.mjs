// A second reader of iCalendar, independent of the first: what it finds in a document on standard input, an event a line;
// with "expand", an instance a line.
import { createRequire } from 'node:module'
import { readFileSync } from 'node:fs'

const ICAL = createRequire(new URL('../../web/package.json', import.meta.url))('ical.js')
const calendar = new ICAL.Component(ICAL.parse(readFileSync(0, 'utf8')))
const utc = (time) => (time.isDate ? time.toString() : time.convertToZone(ICAL.Timezone.utcTimezone).toString())
for (const zone of calendar.getAllSubcomponents('vtimezone')) ICAL.TimezoneService.register(zone)
const told = (o) => console.log(JSON.stringify(o))

/** Each instance, as the last override that holds for it has it. */
function expand() {
  const events = calendar.getAllSubcomponents('vevent')
  const uid = (c) => c.getFirstPropertyValue('uid')
  for (const component of events.filter((c) => !c.hasProperty('recurrence-id'))) {
    const exceptions = events.filter((c) => c.hasProperty('recurrence-id') && uid(c) === uid(component))
    const event = new ICAL.Event(component, { exceptions })
    const one = (of, id) => {
      const { item, startDate, endDate } = event.getOccurrenceDetails(of)
      const value = (name) => item.component.getFirstPropertyValue(name)
      told({
        uid: event.uid,
        recurrence: id,
        start: utc(startDate),
        end: utc(endDate),
        status: value('status'),
        summary: value('summary'),
      })
    }
    if (!event.isRecurring()) {
      one(event.startDate, '')
      continue
    }
    const all = event.iterator()
    for (let next = all.next(), n = 0; next && n < 400; next = all.next(), n++) one(next, utc(next))
  }
}

function list() {
  for (const event of calendar.getAllSubcomponents('vevent')) {
    const value = (name) => event.getFirstPropertyValue(name)
    told({
      uid: value('uid'),
      recurrence: value('recurrence-id')?.toString() ?? '',
      start: utc(value('dtstart')),
      end: utc(value('dtend')),
      status: value('status'),
      transp: value('transp'),
      summary: value('summary'),
      alarms: event.getAllSubcomponents('valarm').map((a) => a.getFirstPropertyValue('trigger').toSeconds()),
    })
  }
}

process.argv[2] === 'expand' ? expand() : list()
