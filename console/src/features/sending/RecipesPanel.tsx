import Box from '@mui/material/Box';
import Tab from '@mui/material/Tab';
import Tabs from '@mui/material/Tabs';
import Typography from '@mui/material/Typography';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { recipes } from '../../api/queries';
import { CopyText } from '../../components/CopyText';
import { Loading, ProblemAlert } from '../../components/states';
import { useSite } from '../../components/siteContext';
import { FieldHost } from './FieldHost';
import { leadsHome, reachable, useFieldHost } from './reach';

/** Ready-to-paste instructions for one device; with a key just issued, complete. */
export function RecipesPanel({ device, secret }: { device: string; secret?: string | undefined }) {
  const site = useSite();
  const [chosen, setChosen] = useState('shell');
  const host = useFieldHost();
  const { data, error, refetch } = useQuery(recipes(site.code, device));
  if (error && !data) return <ProblemAlert error={error} onRetry={() => void refetch()} />;
  if (!data) return <Loading height={160} />;
  const recipe = data.recipes.find(({ code }) => code === chosen) ?? data.recipes[0];
  if (!recipe) return null;
  const whole = secret === undefined ? recipe.text : recipe.text.replaceAll('KEY', secret);
  const text = reachable(whole, host);
  return (
    <Box>
      {leadsHome(data.address) && <FieldHost />}
      <Tabs
        value={recipe.code}
        onChange={(_, code: string) => setChosen(code)}
        variant="scrollable"
        allowScrollButtonsMobile
        aria-label="Recipes"
        sx={{ mb: 1.5 }}
      >
        {data.recipes.map(({ code, title }) => (
          <Tab key={code} value={code} label={title} id={`recipe-tab-${code}`} aria-controls="recipe-panel" />
        ))}
      </Tabs>
      <Box role="tabpanel" id="recipe-panel" aria-labelledby={`recipe-tab-${recipe.code}`}>
        <Typography color="textSecondary" sx={{ mb: 1 }}>
          {recipe.hint}
          {secret === undefined && ' Put the key of the device where KEY stands.'}
        </Typography>
        <CopyText text={text.trimEnd()} label={`recipe ${recipe.title}`} id="recipe" />
      </Box>
    </Box>
  );
}
