"""Pictures and sounds drawn by program: every photo is a real JPEG, every voice note a real WAV."""

import io
import math
import random
import struct
import wave
from datetime import datetime

from PIL import Image, ImageDraw

_GRAIN = Image.frombytes("L", (640, 480), random.Random("grain").randbytes(640 * 480)).convert("RGB")


def photo(source: random.Random, at: datetime) -> bytes:
    """A small coastal view of 320 by 240 pixels, with the time in its EXIF data."""
    width, height = 320, 240
    horizon = source.randint(90, 150)
    sky = source.choice([(150, 185, 210), (205, 190, 170), (120, 140, 165), (225, 205, 190)])
    sea = source.choice([(70, 105, 115), (95, 120, 105), (60, 80, 100)])
    land = source.choice([(150, 140, 100), (110, 125, 85), (165, 150, 125)])
    image = Image.new("RGB", (width, height))
    draw = ImageDraw.Draw(image)
    for y in range(0, height, 2):
        base, shift = sky if y < horizon else sea, (y - horizon) // 5 + source.randint(-3, 3)
        draw.rectangle([0, y, width, y + 1], fill=tuple(min(255, part + shift) for part in base))
    ridge = [(x, horizon + source.randint(-22, 6)) for x in range(0, width + 40, 40)]
    draw.polygon([(0, horizon + 12), *ridge, (width, horizon + 12)], fill=land)
    shore = source.randint(170, 215)
    draw.polygon(
        [(0, height), (0, shore), *[(x, shore + source.randint(-12, 12)) for x in range(40, width + 40, 40)], (width, height)], fill=land
    )
    for _ in range(source.randint(1, 5)):
        x, top = source.randint(10, width - 10), source.randint(95, 175)
        draw.rectangle([x, top, x + source.randint(2, 5), top + source.randint(30, 80)], fill=(90, 70, 55))
        if source.random() < 0.4:
            draw.ellipse([x - 8, top - 16, x + 10, top], fill=source.choice([(190, 60, 45), (235, 230, 220), (215, 160, 40)]))
    left, top = source.randrange(width), source.randrange(height)
    image = Image.blend(image, _GRAIN.crop((left, top, left + width, top + height)), 0.05)
    exif = Image.Exif()
    exif[0x0132] = f"{at:%Y:%m:%d %H:%M:%S}"
    exif[0x010F] = "Saltmarsh field camera"
    out = io.BytesIO()
    image.save(out, "JPEG", quality=82, exif=exif)
    return out.getvalue()


def voice_note(source: random.Random, seconds: float) -> bytes:
    """Mono 8 kHz, 8 bits: a hum that wanders."""
    out = io.BytesIO()
    pitch, length = source.uniform(6, 9), int(seconds * 8000)
    hum = bytes(128 + round(60 * math.sin(n / pitch)) for n in range(2000))
    tiled = int.from_bytes((hum * (length // 2000 + 1))[:length], "big")
    grain = int.from_bytes(source.randbytes(length), "big") & int.from_bytes(b"\x0f" * length, "big")
    frames = (tiled ^ grain).to_bytes(length, "big")
    with wave.open(out, "wb") as file:
        file.setnchannels(1)
        file.setsampwidth(1)
        file.setframerate(8000)
        file.writeframes(frames)
    return out.getvalue()


def plan_sheet(source: random.Random, title: str) -> bytes:
    """A one-page PDF with a title and a few traverse lines."""
    lines = [f"BT /F1 18 Tf 60 760 Td ({title}) Tj ET"]
    x, y = 100.0, 400.0
    lines.append(f"{x:.1f} {y:.1f} m")
    for _ in range(40):
        x, y = x + source.uniform(-40, 60), y + source.uniform(-50, 50)
        lines.append(f"{x % 500 + 40:.1f} {y % 600 + 60:.1f} l")
    stream = ("\n".join(lines) + "\nS").encode()
    objects = [
        b"<< /Type /Catalog /Pages 2 0 R >>",
        b"<< /Type /Pages /Kids [3 0 R] /Count 1 >>",
        b"<< /Type /Page /Parent 2 0 R /MediaBox [0 0 595 842] /Contents 4 0 R /Resources << /Font << /F1 5 0 R >> >> >>",
        b"<< /Length %d >>\nstream\n%s\nendstream" % (len(stream), stream),
        b"<< /Type /Font /Subtype /Type1 /BaseFont /Helvetica >>",
    ]
    out, offsets = bytearray(b"%PDF-1.4\n"), []
    for number, content in enumerate(objects, start=1):
        offsets.append(len(out))
        out += b"%d 0 obj\n%s\nendobj\n" % (number, content)
    table = b"".join(b"%010d 00000 n \n" % offset for offset in offsets)
    return (
        bytes(out) + b"xref\n0 6\n0000000000 65535 f \n" + table + b"trailer << /Size 6 /Root 1 0 R >>\nstartxref\n%d\n%%%%EOF\n" % len(out)
    )


def app_package(name: str, version: int) -> bytes:
    """The same bytes on every device that carries this app in this version."""
    source = random.Random(f"{name} {version}")
    return struct.pack(">8sI", b"APPKG001", version) + name.encode() + source.randbytes(40_000 + source.randint(0, 40_000))
