import MenuItem from '@mui/material/MenuItem';
import TextField from '@mui/material/TextField';
import Typography from '@mui/material/Typography';
import type { Role } from '../../api/schema';
import { ROLES, roleLabel } from './roles';

/** Chooses a role; each says what it may do. */
export function RoleField({
  value,
  onChange,
  label = 'Role',
}: {
  value: Role;
  onChange: (role: Role) => void;
  label?: string;
}) {
  return (
    <TextField
      select
      label={label}
      value={value}
      onChange={(event) => onChange(event.target.value as Role)}
      slotProps={{ select: { renderValue: (role) => roleLabel(role as Role) } }}
      helperText={ROLES.find((one) => one.role === value)?.may}
    >
      {ROLES.map(({ role, label: name, may }) => (
        <MenuItem key={role} value={role}>
          <span>
            {name}
            <Typography
              component="span"
              color="textSecondary"
              sx={{ display: 'block', whiteSpace: 'normal' }}
            >
              {may}
            </Typography>
          </span>
        </MenuItem>
      ))}
    </TextField>
  );
}
