// Before each file of tests: what a test mounted goes when it ends.
import { disableAutoUnmount, enableAutoUnmount } from '@vue/test-utils';
import { afterEach } from 'vitest';

disableAutoUnmount();
enableAutoUnmount(afterEach);
