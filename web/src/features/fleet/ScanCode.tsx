/** Reads the pairing code from a picture or the camera: the device shows it as a QR code (ISO/IEC 18004). */
import { useEffect, useRef, useState } from 'react';
import Button from 'react-bootstrap/Button';

import { codeIn } from './scanning';

export function ScanCode({ device, onCode }: { device: string; onCode: (code: string) => void }) {
  const [says, setSays] = useState('');
  const [watching, setWatching] = useState(false);
  const take = (text: string | null, missing: string) => {
    if (text === null) {
      setSays(missing);
      return false;
    }
    const found = codeIn(text, device);
    setSays(found.says);
    if (found.code) onCode(found.code);
    return true;
  };
  return (
    <details className="guide mb-2">
      <summary>Scan it instead</summary>
      <div className="row-end mt-1">
        <input
          type="file"
          accept="image/*"
          aria-label="A picture of the code"
          onChange={(event) => {
            const file = event.target.files?.[0];
            if (file) void read(file).then((text) => take(text, 'No code was found in this picture. Take it again, nearer and sharper.'));
          }}
        />
        <Button size="sm" variant="outline-primary" aria-pressed={watching} onClick={() => setWatching(!watching)}>
          {watching ? 'Stop the camera' : 'Use the camera'}
        </Button>
      </div>
      {watching && (
        <Camera
          onText={(text) => {
            if (take(text, '')) setWatching(false);
          }}
          onFailed={() => {
            setWatching(false);
            setSays('There is no camera that this page may use. Type the code, or choose a picture of it.');
          }}
        />
      )}
      <p className="hint mb-0" role="status">
        {says}
      </p>
    </details>
  );
}

function Camera({ onText, onFailed }: { onText: (text: string) => void; onFailed: () => void }) {
  const video = useRef<HTMLVideoElement>(null);
  const tell = useRef({ onText, onFailed });
  useEffect(() => {
    tell.current = { onText, onFailed };
  });
  useEffect(() => {
    let stream: MediaStream | null = null;
    let ended = false;
    const open = async () => {
      try {
        stream = await navigator.mediaDevices.getUserMedia({ video: { facingMode: 'environment' } });
        if (ended || !video.current) return;
        video.current.srcObject = stream;
        await video.current.play();
      } catch {
        tell.current.onFailed();
      }
    };
    void open();
    const timer = setInterval(() => {
      const shown = video.current;
      if (!shown?.videoWidth) return;
      void decode(shown, shown.videoWidth, shown.videoHeight).then((text) => {
        if (text && !ended) tell.current.onText(text);
      });
    }, 400);
    return () => {
      ended = true;
      clearInterval(timer);
      for (const track of stream?.getTracks() ?? []) track.stop();
    };
  }, []);
  return (
    <video ref={video} className="scan-view" muted playsInline aria-label="What the camera sees">
      <track kind="captions" />
    </video>
  );
}

async function read(file: File): Promise<string | null> {
  const picture = await createImageBitmap(file).catch(() => null);
  return picture ? decode(picture, picture.width, picture.height) : null;
}

async function decode(source: CanvasImageSource, width: number, height: number): Promise<string | null> {
  const { default: scan } = await import('jsqr');
  const scale = Math.min(1, 1200 / Math.max(width, height));
  const canvas = document.createElement('canvas');
  canvas.width = Math.round(width * scale);
  canvas.height = Math.round(height * scale);
  const context = canvas.getContext('2d');
  if (!context) return null;
  context.drawImage(source, 0, 0, canvas.width, canvas.height);
  return scan(context.getImageData(0, 0, canvas.width, canvas.height).data, canvas.width, canvas.height)?.data ?? null;
}
