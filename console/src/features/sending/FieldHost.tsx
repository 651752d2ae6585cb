import Alert from '@mui/material/Alert';
import TextField from '@mui/material/TextField';
import Typography from '@mui/material/Typography';
import { useState } from 'react';
import { isHost, setFieldHost, useFieldHost } from './reach';

/** Asks by which name the field reaches the service, where the address would lead a sender to itself. */
export function FieldHost() {
  const known = useFieldHost();
  const [typed, setTyped] = useState(known);
  const take = (text: string) => {
    setTyped(text);
    if (text === '' || isHost(text)) setFieldHost(text);
  };
  return (
    <Alert severity="warning" icon={false} sx={{ mb: 2, '& .MuiAlert-message': { width: '100%' } }}>
      <Typography sx={{ mb: 1.5 }}>
        This page was opened at an address that only this computer has. By which name or address does the
        field reach it? It is put into all that is copied from here.
      </Typography>
      <TextField
        label="Name or address of this computer in the network"
        value={typed}
        onChange={(event) => take(event.target.value.trim())}
        error={typed !== '' && !isHost(typed)}
        helperText={
          typed !== '' && !isHost(typed) ? 'Without http:// and without a port' : 'Such as 192.168.4.20'
        }
        fullWidth
      />
    </Alert>
  );
}
