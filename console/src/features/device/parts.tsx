import Box from '@mui/material/Box';
import Link from '@mui/material/Link';
import Typography from '@mui/material/Typography';
import { useQuery } from '@tanstack/react-query';
import type { ReactNode } from 'react';
import { Link as RouterLink, useOutletContext } from 'react-router';
import { carried, device as deviceQuery } from '../../api/queries';
import type { DeviceNow } from '../../api/schema';
import { useSite } from '../../components/siteContext';
import { CarriedSection } from './CarriedSection';
import { CommandsSection } from './CommandsSection';
import { ContactsInShort, ContactsSection } from './ContactsSection';
import { DecoderSection } from './DecoderSection';
import { HistorySection } from './HistorySection';
import { NowSection } from './NowSection';
import { SendingSection } from './SendingSection';
import { SettingsSection } from './SettingsSection';
import { SignalsSection } from './SignalsSection';

const useDevice = () => useOutletContext<DeviceNow>();

function Section({ id, title, children }: { id: string; title: string; children: ReactNode }) {
  return (
    <Box component="section" id={id} aria-labelledby={`${id}-title`} sx={{ mb: 4, scrollMarginTop: 72 }}>
      <Typography variant="h2" id={`${id}-title`} sx={{ mb: 1.5 }}>
        {title}
      </Typography>
      {children}
    </Box>
  );
}

/** What is looked at daily: values, history, what it carries and understands, and the last contacts. */
export function NowPart() {
  const site = useSite();
  const device = useDevice();
  const code = device.device;
  const { data: links = [] } = useQuery(carried(site.code, code));
  const { data: whole } = useQuery(deviceQuery(site.code, code));
  // A gateway that measures nothing itself begins with what it carries.
  const measures = device.signals.length > 0 || links.length === 0;
  return (
    <>
      {measures && (
        <Section id="now" title="Now">
          <NowSection device={device} />
        </Section>
      )}
      {device.signals.length > 0 && (
        <Section id="history" title="History">
          <HistorySection key={code} device={device} />
        </Section>
      )}
      {links.length > 0 && (
        <Section id="carried" title="Carried devices">
          <CarriedSection key={code} device={code} />
        </Section>
      )}
      {(whole?.commands?.length ?? 0) > 0 && (
        <Section id="commands" title="Commands">
          <CommandsSection key={code} code={code} />
        </Section>
      )}
      <Section id="contacts" title="Last contacts">
        <ContactsInShort device={code} />
        <Link
          component={RouterLink}
          to={`/sites/${site.code}/devices/${code}/contacts`}
          sx={{ display: 'inline-block', mt: 1 }}
        >
          All contacts
        </Link>
      </Section>
    </>
  );
}

/** Each attempt to deliver. */
export function ContactsPart() {
  const { device } = useDevice();
  return (
    <Section id="contacts" title="Contacts">
      <ContactsSection key={device} device={device} />
    </Section>
  );
}

/** What it measures. */
export function SignalsPart() {
  const { device } = useDevice();
  return (
    <Section id="signals" title="Signals">
      <SignalsSection key={device} device={device} />
    </Section>
  );
}

/** How it sends: keys, recipes, decoder, what it carries and understands. */
export function SendingPart() {
  const device = useDevice();
  const code = device.device;
  return (
    <>
      <Section id="sending" title="Keys and recipes">
        <SendingSection key={code} device={device} />
      </Section>
      <Section id="decoder" title="Decoder">
        <DecoderSection key={code} code={code} />
      </Section>
      <Section id="commands" title="Commands">
        <CommandsSection key={code} code={code} />
      </Section>
      <Section id="carried" title="Carried devices">
        <CarriedSection key={code} device={code} />
      </Section>
    </>
  );
}

/** What is set up once. */
export function SetUpPart() {
  const { device } = useDevice();
  return (
    <Section id="settings" title="Set-up">
      <SettingsSection key={device} code={device} />
    </Section>
  );
}
