// A second reader of iCalendar, independent of the first: what it finds in a document on standard input, an event a line.
import { createRequire } from 'node:module'
import { readFileSync } from 'node:fs'

const ICAL = createRequire(new URL('../../web/package.json', import.meta.url))('ical.js')
const calendar = new ICAL.Component(ICAL.parse(readFileSync(0, 'utf8')))
const utc = (time) => (time.isDate ? time.toString() : time.convertToZone(ICAL.Timezone.utcTimezone).toString())
for (const zone of calendar.getAllSubcomponents('vtimezone')) ICAL.TimezoneService.register(zone)
for (const event of calendar.getAllSubcomponents('vevent')) {
  const value = (name) => event.getFirstPropertyValue(name)
  console.log(
    JSON.stringify({
      uid: value('uid'),
      recurrence: value('recurrence-id')?.toString() ?? '',
      start: utc(value('dtstart')),
      end: utc(value('dtend')),
      status: value('status'),
      transp: value('transp'),
      summary: value('summary'),
      alarms: event.getAllSubcomponents('valarm').map((a) => a.getFirstPropertyValue('trigger').toSeconds()),
    }),
  )
}
