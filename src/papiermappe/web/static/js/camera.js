// The camera of this computer: its live picture, its frames judged by the server, its full pictures.

const FRAME_PX = 960;
const FRAME_QUALITY = 0.75;
const PICTURE_QUALITY = 0.93;
const FRAME_EVERY_MS = 110;
const AGAIN_MS = 1000;
const LARGEST = { width: { ideal: 4096 }, height: { ideal: 3072 } };
const BY_HAND = "by_hand";
const AGAIN = "again";

/** @typedef {{ state: string, corners: [number, number][] | null, name: string | null, by_table: boolean }} Seen */

/**
 * Open a camera at its best resolution. Rejects with a DOMException whose name says why it cannot be had.
 * @param {HTMLVideoElement} video that shows it
 * @param {string} id of the camera; empty: any
 */
export async function openCamera(video, id) {
  if (!navigator.mediaDevices) throw new DOMException("", "SecurityError"); // not over HTTPS, and not at this computer
  const stream = await navigator.mediaDevices.getUserMedia({ video: { ...LARGEST, ...(id ? { deviceId: { exact: id } } : {}) } });
  video.srcObject = stream;
  await video.play();
  return stream;
}

/** The cameras there are, each with its name. */
export async function listCameras() {
  const devices = await navigator.mediaDevices.enumerateDevices();
  return devices.filter(({ kind }) => kind === "videoinput").map(({ deviceId, label }) => ({ id: deviceId, label }));
}

/**
 * The full picture that a video shows now.
 * @param {HTMLVideoElement} video
 */
export function pictureOf(video) { return jpegOf(drawn(video, document.createElement("canvas"), video.videoWidth), PICTURE_QUALITY); }

/**
 * Draw a picture as wide as said.
 * @param {HTMLVideoElement | HTMLCanvasElement} picture @param {HTMLCanvasElement} canvas @param {number} width
 */
function drawn(picture, canvas, width) {
  const [wide, high] = picture instanceof HTMLVideoElement ? [picture.videoWidth, picture.videoHeight] : [picture.width, picture.height];
  canvas.width = width;
  canvas.height = Math.round((width * high) / wide);
  canvas.getContext("2d")?.drawImage(picture, 0, 0, canvas.width, canvas.height);
  return canvas;
}

/** @param {HTMLCanvasElement} canvas @param {number} quality @returns {Promise<Blob | null>} */
function jpegOf(canvas, quality) { return new Promise((resolve) => { canvas.toBlob(resolve, "image/jpeg", quality); }); }

/**
 * Have the frames of a video judged, one after the other, until it is ended. A lost connection heals by itself.
 *
 * What is told of a frame comes with its full picture: by the time of the answer a hand may be there, or another sheet.
 * @param {HTMLVideoElement} video
 * @param {string} path
 * @param {{ seen: (seen: Seen, picture: () => Promise<Blob | null>) => void, connection: (lost: boolean) => void }} tell
 */
export function watchFrames(video, path, tell) {
  const judged = document.createElement("canvas");
  const small = document.createElement("canvas");
  const picture = () => jpegOf(judged, PICTURE_QUALITY);
  let over = false;
  let sentAt = 0;
  /** @type {WebSocket} */
  let socket;
  const next = async () => {
    if (video.videoWidth) drawn(video, judged, video.videoWidth);
    const frame = video.videoWidth ? await jpegOf(drawn(judged, small, Math.min(FRAME_PX, judged.width)), FRAME_QUALITY) : null;
    if (over || socket.readyState !== WebSocket.OPEN) return;
    sentAt = performance.now();
    if (frame) socket.send(frame);
    else setTimeout(next, FRAME_EVERY_MS);
  };
  const connect = () => {
    socket = new WebSocket(`${location.protocol === "https:" ? "wss" : "ws"}://${location.host}${path}`);
    socket.addEventListener("open", () => { tell.connection(false); next(); });
    socket.addEventListener("message", ({ data }) => {
      tell.seen(JSON.parse(data), picture);
      setTimeout(next, Math.max(0, FRAME_EVERY_MS - (performance.now() - sentAt)));
    });
    socket.addEventListener("close", () => {
      if (over) return;
      tell.connection(true);
      setTimeout(() => { if (!over) connect(); }, AGAIN_MS);
    });
  };
  connect();
  return {
    /** What is seen now was taken by hand: it is not taken once more by itself. */
    noteTaken() { if (socket.readyState === WebSocket.OPEN) socket.send(BY_HAND); },
    /** What was taken last may be taken once more. */
    forget() { if (socket.readyState === WebSocket.OPEN) socket.send(AGAIN); },
    end() { over = true; socket.close(); },
  };
}

/** A short sound. */
export function click() {
  const sounds = new AudioContext();
  const tone = sounds.createOscillator();
  const loudness = sounds.createGain();
  tone.frequency.value = 880;
  loudness.gain.setValueAtTime(0.15, sounds.currentTime);
  loudness.gain.exponentialRampToValueAtTime(0.001, sounds.currentTime + 0.12);
  tone.connect(loudness).connect(sounds.destination);
  tone.addEventListener("ended", () => sounds.close());
  tone.start();
  tone.stop(sounds.currentTime + 0.12);
}
