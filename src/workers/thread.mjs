// Begins a thread of the server: reads the module it is given from its source, as the scripts do.
import { workerData } from 'node:worker_threads';
import { tsImport } from 'tsx/esm/api';

await tsImport(workerData.module, import.meta.url);
