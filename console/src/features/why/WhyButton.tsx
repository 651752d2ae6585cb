import Button, { type ButtonProps } from '@mui/material/Button';
import { useState } from 'react';
import { WhyDialog } from './WhyDialog';

interface Props extends Pick<ButtonProps, 'size' | 'sx'> {
  device: string;
  signal?: string | undefined;
  children: string;
}

/** Asks why nothing is seen of a device or a signal. */
export function WhyButton({ device, signal, children, ...button }: Props) {
  const [open, setOpen] = useState(false);
  return (
    <>
      <Button {...button} onClick={() => setOpen(true)}>
        {children}
      </Button>
      {open && <WhyDialog device={device} signal={signal} onClose={() => setOpen(false)} />}
    </>
  );
}
