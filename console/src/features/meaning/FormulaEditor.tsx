import Box from '@mui/material/Box';
import Stack from '@mui/material/Stack';
import TextField from '@mui/material/TextField';
import Typography from '@mui/material/Typography';
import type { TriedMeaning } from '../../api/schema';
import { mono } from '../../theme/theme';

const FUNCTIONS = [
  ['previous(signal)', 'its value before the last'],
  ['average(signal, 10 "min")', 'its mean over a time'],
  ['dew_point(temp, hum)', 'from temperature and humidity'],
  ['altitude(pressure, sea)', 'above where the pressure is sea'],
  ['distance(lat, lon, lat, lon)', 'along the great circle'],
  ['standing_cylinder_volume(level, diameter, height)', 'what is in a tank'],
  ['if door then 1 else 0', 'a choice'],
] as const;

interface Props {
  formula: string;
  onChange: (formula: string) => void;
  tried: TriedMeaning | undefined;
}

/** A formula, with the character that is wrong shown under it. */
export function FormulaEditor({ formula, onChange, tried }: Props) {
  const wrong = formula.trim() === '' ? undefined : tried?.wrong;
  return (
    <Stack spacing={1.5}>
      <TextField
        label="Formula"
        value={formula}
        onChange={(e) => onChange(e.target.value)}
        multiline
        minRows={2}
        error={wrong !== undefined}
        placeholder={'level - {tower/level-p}'}
        slotProps={{
          inputLabel: { shrink: true },
          htmlInput: { sx: mono, spellCheck: false, 'aria-describedby': 'formula-says' },
        }}
      />
      <Box id="formula-says" role="status" sx={{ minHeight: 48 }}>
        {wrong && (
          <>
            {wrong.character !== undefined && <Place formula={formula} at={wrong.character} />}
            <Typography sx={{ color: 'error.main' }}>
              {wrong.character === undefined ? '' : `Character ${wrong.character + 1}: `}
              {wrong.detail}
            </Typography>
          </>
        )}
      </Box>
      <details>
        <summary style={{ cursor: 'pointer' }}>What can be said</summary>
        <Typography variant="body2" color="textSecondary" sx={{ my: 1 }}>
          Signals of this device by their code, others as {'{device/signal}'}; numbers with units such as 10
          &quot;min&quot;; + - * / ^, comparisons, and, or, not.
        </Typography>
        <Box
          component="dl"
          sx={{ m: 0, display: 'grid', gridTemplateColumns: { sm: 'max-content 1fr' }, columnGap: 2 }}
        >
          {FUNCTIONS.map(([text, says]) => (
            <Box key={text} sx={{ display: 'contents' }}>
              <Box component="dt" sx={{ ...mono, overflowWrap: 'anywhere' }}>
                {text}
              </Box>
              <Box component="dd" sx={{ m: 0, color: 'text.secondary' }}>
                {says}
              </Box>
            </Box>
          ))}
        </Box>
      </details>
    </Stack>
  );
}

/** The line of a formula in which something is wrong, with a mark under it. */
function Place({ formula, at }: { formula: string; at: number }) {
  const characters = [...formula];
  const start = characters.lastIndexOf('\n', at - 1) + 1;
  const end = characters.indexOf('\n', at);
  const line = characters.slice(start, end < 0 ? undefined : end).join('');
  return (
    <Box component="pre" aria-hidden sx={{ ...mono, m: 0, overflowX: 'auto' }}>
      {line}
      {'\n'}
      <Box component="span" sx={{ color: 'error.main', fontWeight: 700 }}>
        {' '.repeat(at - start)}^
      </Box>
    </Box>
  );
}
