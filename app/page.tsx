import { App } from '@/views/app';

export default function Page() {
  return <App />;
}
