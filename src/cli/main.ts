/** Entry of the command line: npm run -s cli -- eval "1 + 1" */
import { readFileSync } from 'node:fs';
import { runCli } from './run';

const { text, code } = runCli(process.argv.slice(2), (path) => readFileSync(path, 'utf8'));
(code === 2 ? console.error : console.log)(text);
process.exitCode = code;
