import type { Role } from '../../api/schema';

/** Roles, the least first, and what each may do. */
export const ROLES: { role: Role; label: string; may: string }[] = [
  { role: 'viewer', label: 'Viewer', may: 'looks, and changes nothing' },
  { role: 'operator', label: 'Operator', may: 'sets devices up, enters readings, gives commands' },
  { role: 'owner', label: 'Owner', may: 'also removes, changes the site, lets people in' },
];

export const roleLabel = (role: Role): string => ROLES.find((one) => one.role === role)?.label ?? role;
