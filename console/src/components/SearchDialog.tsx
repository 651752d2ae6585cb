import Dialog from '@mui/material/Dialog';
import List from '@mui/material/List';
import ListItemButton from '@mui/material/ListItemButton';
import ListItemText from '@mui/material/ListItemText';
import TextField from '@mui/material/TextField';
import { useQuery } from '@tanstack/react-query';
import { useState, type KeyboardEvent } from 'react';
import { useNavigate } from 'react-router';
import { siteNow } from '../api/queries';
import type { DeviceNow, Site } from '../api/schema';
import { useSite } from './siteContext';

interface Find {
  to: string;
  name: string;
  kind: string;
}

function findings(site: Site, devices: DeviceNow[], words: string): Find[] {
  const base = `/sites/${site.code}`;
  const all: Find[] = [
    { to: base, name: 'Lamp room', kind: 'page' },
    { to: `${base}/charts`, name: 'Charts', kind: 'page' },
    { to: `${base}/arrivals`, name: 'Arrivals', kind: 'page' },
    { to: `${base}/set-up`, name: 'Set-up', kind: 'page' },
    { to: `${base}/figures`, name: 'Figures', kind: 'page' },
    { to: `${base}/coverage`, name: 'Coverage', kind: 'page' },
    { to: `${base}/notes`, name: 'Notes', kind: 'page' },
    { to: `${base}/compare`, name: 'Compare signals', kind: 'page' },
    { to: `${base}/add-device`, name: 'Add a device', kind: 'action' },
    ...devices.flatMap((device) => [
      { to: `${base}/devices/${device.device}`, name: device.name, kind: `device ${device.device}` },
      ...device.signals.map((signal) => ({
        to: `${base}/devices/${device.device}?signal=${signal.signal}#history`,
        name: signal.name,
        kind: `signal ${device.device}/${signal.signal}`,
      })),
      ...device.signals.map((signal) => ({
        to: `${base}/devices/${device.device}/signals/${encodeURIComponent(signal.signal)}`,
        name: `What ${signal.name} means`,
        kind: `conversion and screen of ${device.device}/${signal.signal}`,
      })),
    ]),
  ];
  const wanted = words.toLowerCase().split(/\s+/).filter(Boolean);
  return all
    .filter(({ name, kind }) => wanted.every((word) => `${name} ${kind}`.toLowerCase().includes(word)))
    .slice(0, 12);
}

/** Finds devices, signals, pages and actions by words. */
export function SearchDialog({ onClose }: { onClose: () => void }) {
  const site = useSite();
  const { data = [] } = useQuery(siteNow(site.code));
  const [words, setWords] = useState('');
  const [chosen, setChosen] = useState(0);
  const navigate = useNavigate();
  const found = findings(site, data, words);
  const go = (find: Find | undefined) => {
    if (!find) return;
    void navigate(find.to);
    onClose();
  };
  const onKey = (event: KeyboardEvent) => {
    const step = { ArrowDown: 1, ArrowUp: -1 }[event.key];
    if (step !== undefined) {
      event.preventDefault();
      setChosen((at) => Math.min(Math.max(at + step, 0), found.length - 1));
    } else if (event.key === 'Enter') {
      go(found[chosen]);
    }
  };
  return (
    <Dialog
      open
      onClose={onClose}
      fullWidth
      maxWidth="sm"
      aria-label="Search"
      slotProps={{ container: { sx: { alignItems: 'flex-start' } } }}
    >
      <TextField
        autoFocus
        value={words}
        onChange={(event) => {
          setWords(event.target.value);
          setChosen(0);
        }}
        onKeyDown={onKey}
        label="Device, signal, page or action"
        sx={{ m: 2 }}
      />
      <List dense sx={{ pt: 0, minHeight: 320 }}>
        {found.map((find, i) => (
          <ListItemButton key={find.to} selected={i === chosen} onClick={() => go(find)}>
            <ListItemText primary={find.name} secondary={find.kind} />
          </ListItemButton>
        ))}
        {found.length === 0 && <ListItemText sx={{ px: 2 }} secondary="Nothing of that name here." />}
      </List>
    </Dialog>
  );
}
