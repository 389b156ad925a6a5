/** What every test of the front end needs: the page is empty again after each, and a busy machine only takes longer. */
import { cleanup, configure } from '@testing-library/react';
import { afterEach } from 'vitest';

configure({ asyncUtilTimeout: 60_000 });
afterEach(cleanup);
