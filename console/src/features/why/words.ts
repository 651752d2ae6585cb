import type { Mend, Stage, Why } from '../../api/schema';

/** What is looked at on the way of a reading: in words if it is right, and if it is wrong. */
export const STAGES: Record<Stage, { right: string; wrong: string }> = {
  declared: { right: 'It is declared', wrong: 'It is not declared' },
  key: { right: 'It has a key that may send', wrong: 'It has no key that may send' },
  contact: { right: 'Its messages come', wrong: 'Its messages do not come' },
  payload: { right: 'They can be read', wrong: 'They cannot be read' },
  name: { right: 'Its names are declared', wrong: 'A name is not declared' },
  time: { right: 'It goes on sending', wrong: 'It no longer sends this' },
  kept: { right: 'Its readings are still kept', wrong: 'Its readings are no longer kept' },
  losses: { right: 'Its messages come through', wrong: 'Its messages get lost' },
  clock: { right: 'Its clock is right', wrong: 'Its clock is wrong' },
  quality: { right: 'Its values can be believed', wrong: 'Its value cannot be believed' },
  live: { right: 'It counts: it is not in trial', wrong: 'It is in trial' },
};

/** Where what is wrong can be mended, and how that is called. */
export interface Way {
  to: string;
  label: string;
}

/** The way to what mends it; nothing if nothing has to be. */
export function wayOf(why: Pick<Why, 'device' | 'signal' | 'mend'>, site: string): Way | undefined {
  const base = `/sites/${encodeURIComponent(site)}`;
  const device = `${base}/devices/${encodeURIComponent(why.device)}`;
  const ways: Record<Mend['action'], Way | undefined> = {
    nothing: undefined,
    declare: { to: `${base}/arrivals`, label: 'Declare it' },
    'issue-key': { to: `${device}/sending`, label: 'Issue a key' },
    send: { to: `${device}/sending`, label: 'How to send' },
    'see-contacts': { to: `${device}/contacts`, label: 'See what came' },
    claim: { to: `${base}/arrivals`, label: 'Claim what waits' },
    'set-clock': { to: `${device}/contacts`, label: 'See what came' },
    'see-meaning': {
      to: why.signal ? `${device}/signals/${encodeURIComponent(why.signal)}` : device,
      label: 'See limits and conversion',
    },
    'see-retention': { to: `${device}/signals`, label: 'See how long it is kept' },
    commission: { to: `${device}/commissioning`, label: 'Go on with its commissioning' },
  };
  return ways[why.mend.action];
}
