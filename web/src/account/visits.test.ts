import { expect, test } from 'vitest'
import { browserName } from './visits'

test.each([
  ['Mozilla/5.0 (X11; Linux x86_64) AppleWebKit/537.36 Chrome/130.0 Safari/537.36', 'Chrome on Linux'],
  [
    'Mozilla/5.0 (Windows NT 10.0) AppleWebKit/537.36 Chrome/130.0 Safari/537.36 Edg/130.0',
    'Edge on Windows',
  ],
  ['Mozilla/5.0 (iPhone; CPU iPhone OS 17_0 like Mac OS X) Version/17.0 Safari/604.1', 'Safari on iOS'],
  ['Mozilla/5.0 (Macintosh; Intel Mac OS X 14.0; rv:130.0) Gecko/20100101 Firefox/130.0', 'Firefox on macOS'],
  ['needlepoint-render', 'another program'],
  ['', 'a browser'],
])('a browser that says %s is told apart', (said, name) => expect(browserName(said)).toBe(name))
