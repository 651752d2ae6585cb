import type { CalloutState, CalloutWay, Roster } from '../../api/schema';
import { interval } from '../../format/age';

/** How far a message is, in words. */
export const STATES: Record<CalloutState, string> = {
  waiting: 'will be sent',
  sending: 'being sent',
  sent: 'sent',
  failed: 'not sent',
  uncertain: 'may have been sent',
  dropped: 'not needed any more',
};

/** How a message is carried, in words. */
export const WAYS: Record<CalloutWay, string> = {
  mail: 'mail',
  text: 'text message',
  webhook: 'webhook',
  topic: 'MQTT topic',
};

/** How an attempt ended, in words. */
export const OUTCOMES: Record<string, string> = {
  sent: 'The server has taken it',
  refused: 'Refused',
  later: 'Refused for now, or nobody reached',
  uncertain: 'It may have been sent',
};

/** Who is called when, in a sentence. */
export function planInWords(roster: Roster): string {
  const order = roster.order.join(', then ');
  const parts = [
    ...(order === '' ? [] : [order]),
    ...(roster.turns && roster.turns.length > 0 ? ['others by a weekly plan'] : []),
    ...((roster.also ?? []).length > 0 ? [`told as well: ${(roster.also ?? []).join(', ')}`] : []),
  ];
  return parts.join('; ');
}

/** What happens if nobody acknowledges, in a sentence. */
export function passingOnInWords({ pass_on_min: minutes = 10, rounds = 3 }: Roster): string {
  const often = rounds === 1 ? 'once' : `${rounds} times`;
  return `The next one after ${interval(minutes * 60)}, ${often} through`;
}
