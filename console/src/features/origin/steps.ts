import type { Origin } from '../../api/schema';
import { asSent, shown, withUnit } from '../../format/number';
import { dateTime } from '../../format/time';

/** One step from the sender to the value. */
export interface OriginStep {
  title: string;
  text: string;
  isPayload?: boolean;
}

/** The steps of a value, from the contact to what is shown. */
export function stepsOf(origin: Origin, zone: string, decimals: number): OriginStep[] {
  const { reading, symbol = '' } = origin;
  const value = withUnit(shown(reading.value, decimals), symbol);
  return [
    ...senderOf(origin, zone),
    ...othersOf(origin, zone),
    ...(origin.steps ?? []).map((step, i) => ({
      title: `Step ${i + 1}`,
      text:
        step.output === undefined
          ? `${asSent(step.input)} becomes nothing: ${step.why ?? ''}`
          : `${asSent(step.input)} becomes ${withUnit(asSent(step.output), step.symbol ?? '')}`,
    })),
    ...madeBy(origin, zone),
    { title: `Value at ${dateTime(reading.at, zone)}`, text: value },
    {
      title: 'Quality',
      text: reading.quality === undefined ? 'good' : `${reading.quality}: ${reading.cause ?? ''}`,
    },
  ];
}

function senderOf({ contact, decoder, hand, sent, sent_unit }: Origin, zone: string): OriginStep[] {
  const steps: OriginStep[] = [];
  if (contact) {
    const dialect = contact.dialect === undefined ? '' : ` as ${contact.dialect}`;
    const topic = contact.topic === undefined ? '' : `, topic ${contact.topic}`;
    steps.push({
      title: `Came ${dateTime(contact.at, zone)}`,
      text: `${contact.protocol}${dialect} from ${contact.from}${topic}`,
    });
    if (contact.payload !== undefined)
      steps.push({ title: 'Payload', text: contact.payload, isPayload: true });
  } else if (sent !== undefined) {
    steps.push({ title: 'Came', text: 'with an attempt that is not in the contact log any more' });
  }
  if (decoder !== undefined) steps.push({ title: 'Read by', text: `the decoder ${decoder}` });
  if (hand)
    steps.push({
      title: 'Entered by hand',
      text: `${hand.person}${hand.note === '' ? '' : `: ${hand.note}`}`,
    });
  if (sent !== undefined) steps.push({ title: 'Sent', text: withUnit(asSent(sent), sent_unit ?? '') });
  return steps;
}

function othersOf({ formula, others = [] }: Origin, zone: string): OriginStep[] {
  return [
    ...(formula === undefined ? [] : [{ title: 'Formula', text: formula, isPayload: true }]),
    ...others.map(({ signal, value, symbol, at, is_too_old }) => ({
      title: at === undefined ? `With ${signal}` : `With ${signal} of ${dateTime(at, zone)}`,
      text: `${value === undefined ? '—' : withUnit(asSent(value), symbol ?? '')}${is_too_old ? ', too old to count' : ''}`,
    })),
  ];
}

function madeBy({ steps = [], remembers, version, remade }: Origin, zone: string): OriginStep[] {
  return [
    ...(remembers && steps.length > 0
      ? [{ title: 'But', text: 'its meaning remembers what was before; these are the steps by themselves' }]
      : []),
    ...(version
      ? [
          {
            title: 'Meaning',
            text: `version ${version.version} of ${version.made_by}, ${dateTime(version.made_at, zone)}`,
          },
        ]
      : []),
    ...(remade ? [{ title: 'Made again', text: `by ${remade.by}, ${dateTime(remade.at, zone)}` }] : []),
  ];
}
