/** What every test of the front end needs: the page is empty again after each. */
import { cleanup } from '@testing-library/react';
import { afterEach } from 'vitest';

afterEach(cleanup);
