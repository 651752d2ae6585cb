import CheckIcon from '@mui/icons-material/Check';
import CopyIcon from '@mui/icons-material/ContentCopy';
import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import { useState } from 'react';
import { mono } from '../theme/theme';

/** A text to be copied as it is, with a button that copies it. */
export function CopyText({ text, label, id }: { text: string; label: string; id?: string }) {
  const [copied, setCopied] = useState(false);
  const copy = async () => {
    await copyToClipboard(text);
    setCopied(true);
    setTimeout(() => setCopied(false), 2000);
  };
  return (
    <Box sx={{ display: 'flex', gap: 1, alignItems: 'flex-start', flexWrap: { xs: 'wrap', sm: 'nowrap' } }}>
      <Box
        component="code"
        id={id}
        tabIndex={0}
        aria-label={label}
        sx={{
          ...mono,
          flex: 1,
          minWidth: 0,
          p: 1.25,
          border: 1,
          borderColor: 'divider',
          borderRadius: 1,
          bgcolor: 'background.default',
          whiteSpace: 'pre-wrap',
          overflowWrap: 'anywhere',
        }}
      >
        {text}
      </Box>
      <Button
        variant="outlined"
        onClick={() => void copy()}
        startIcon={copied ? <CheckIcon /> : <CopyIcon />}
        sx={{ minWidth: 112 }}
        aria-label={`Copy ${label}`}
      >
        {copied ? 'Copied' : 'Copy'}
      </Button>
    </Box>
  );
}

/** Also works where the clipboard is kept from pages without https. */
async function copyToClipboard(text: string): Promise<void> {
  if (window.isSecureContext) return navigator.clipboard.writeText(text);
  const area = document.createElement('textarea');
  area.value = text;
  document.body.append(area);
  area.select();
  document.execCommand('copy');
  area.remove();
}
