// The scene in 3D over the well: only drawn here, every place comes from the server.
import {
  AdditiveBlending, BufferAttribute, BufferGeometry, Color, GridHelper, Group, Line, LineBasicMaterial, LineSegments, Matrix4, Mesh,
  MeshBasicMaterial, PerspectiveCamera, Plane, Points, PointsMaterial, Raycaster, Scene, SphereGeometry, TextureLoader, Vector2,
  Vector3, WebGLRenderer,
} from "../vendor/three/three.module.js";

const TWINE = 0xc29a5b, PALE = 0xd9d9d9, GREY = 0x8f8f8f;
const vector = (at) => new Vector3(at[0], at[1], at[2]);

// A camera as its picture's corners at a distance.
function corners(camera, far) {
  const eye = vector(camera.eye), right = vector(camera.right), down = vector(camera.down), forward = vector(camera.forward);
  return [[-1, -1], [1, -1], [1, 1], [-1, 1]].map(([x, y]) => eye.clone()
    .addScaledVector(right, (x * camera.wide + camera.shift) * far).addScaledVector(down, (y * camera.high + camera.drop) * far).addScaledVector(forward, far));
}

const lines = (points, color, { isClosed = false } = {}) => {
  const geometry = new BufferGeometry().setFromPoints(isClosed ? [...points, points[0]] : points);
  return new Line(geometry, new LineBasicMaterial({ color }));
};

export class Space {
  constructor(desk, hands) {
    this.desk = desk;
    this.hands = hands;
    this.most = Number(document.getElementById("space-most").value);
    this.through = "";
    this.canvas = document.createElement("canvas");
    this.canvas.className = "space";
    this.canvas.tabIndex = 0;
    this.canvas.setAttribute("aria-label", "The scene in 3D");
    this.said = document.createElement("output");
    this.said.className = "space-said value";
    desk.wellElement.append(this.canvas, this.said);
    this.renderer = new WebGLRenderer({ canvas: this.canvas, antialias: true });
    this.renderer.setPixelRatio(Math.min(devicePixelRatio, 2));
    this.scene = new Scene();
    this.scene.background = new Color(0x6e6e6e);
    this.eye = new PerspectiveCamera(45, 1, 0.01, 1e5);
    this.middle = new Vector3();
    this.away = 10;
    this.turn = { yaw: 0.7, pitch: 0.35 };
    this.things = new Group();
    this.cloud = new Points(new BufferGeometry(), new PointsMaterial({ size: 1.6, sizeAttenuation: false, vertexColors: true }));
    this.cloud.frustumCulled = false;
    this.scene.add(this.things, this.cloud);
    this.textures = new TextureLoader();
    this.setUpHands();
    new ResizeObserver(() => this.draw()).observe(desk.wellElement);
  }

  show(isOn, chosen) {
    this.canvas.hidden = this.said.hidden = !isOn;
    this.chosen = chosen;
    if (isOn) this.load();
  }

  setMost(most) { this.most = most; this.load(); }

  async load() {
    const { desk } = this, mine = (this.asked = (this.asked || 0) + 1), begun = performance.now();
    const [told, content] = await Promise.all([
      desk.ask(`/frames/${desk.frame}/space`), desk.ask(`/frames/${desk.frame}/points?most=${this.most}`),
    ]);
    if (mine !== this.asked) return;
    if (!told.ok || !content.ok) return this.refused(told.ok ? content : told);
    this.told = await told.json();
    const buffer = await content.arrayBuffer();
    if (mine !== this.asked) return;
    this.fill(buffer);
    this.build();
    if (!this.isPlaced) this.place();
    this.draw();
    const { calls, points } = this.renderer.info.render;
    this.said.textContent = `${points.toLocaleString("en")} points, ${calls} draw calls, ${(buffer.byteLength / 1e6).toFixed(1)} MB, ${((performance.now() - begun) / 1000).toFixed(1)} s`;
  }

  async refused(answer) {
    let what = "The scene can't be shown.";
    try { what = (await answer.json()).errors[0].what; } catch { /* it said nothing of use */ }
    this.desk.sayFault(what);
  }

  fill(buffer) {
    const count = new Uint32Array(buffer, 0, 1)[0];
    const places = new Float32Array(buffer, 4, 3 * count), shown = new Uint8Array(buffer, 4 + 12 * count, 3 * count);
    const colours = new Float32Array(3 * count);
    for (let i = 0; i < colours.length; i += 1) colours[i] = (shown[i] / 255) ** 2.2;
    this.cloud.geometry.dispose();
    this.cloud.geometry = new BufferGeometry();
    this.cloud.geometry.setAttribute("position", new BufferAttribute(places, 3));
    this.cloud.geometry.setAttribute("color", new BufferAttribute(colours, 3));
    this.count = count;
    // What is near is what a shot is about: hills behind it would make everything else small.
    const counts = this.told.cameras.find((one) => one.counts && one.eye), eye = vector(counts?.eye ?? [0, 0, 0]), some = [];
    for (let i = 0; i < count; i += Math.max(1, Math.floor(count / 2000))) some.push(new Vector3().fromArray(places, 3 * i));
    some.sort((a, b) => a.distanceToSquared(eye) - b.distanceToSquared(eye));
    const near = some.slice(0, Math.max(1, Math.floor(some.length * 0.7)));
    const spans = ["x", "y", "z"].map((axis) => near.map((at) => at[axis]).sort((a, b) => a - b));
    const share = (span, part) => span[Math.min(span.length - 1, Math.floor(span.length * part))] ?? 0;
    this.heart = new Vector3(...spans.map((span) => share(span, 0.5)));
    this.size = Math.max(...spans.map((span) => share(span, 0.95) - share(span, 0.05)), 1e-3);
  }

  build() {
    const { told } = this;
    for (const one of [...this.things.children]) { this.things.remove(one); one.traverse?.((part) => { part.geometry?.dispose(); part.material?.dispose(); }); }
    this.pickable = [];
    this.balls = [];
    const grid = new GridHelper(4 * this.size, 20, 0x8a8a8a, 0x7c7c7c);
    if (told.up === "z") { grid.rotation.x = Math.PI / 2; grid.position.set(this.heart.x, this.heart.y, told.ground); } else grid.position.set(this.heart.x, told.ground, this.heart.z);
    this.things.add(grid);
    for (const camera of told.cameras) this.camera(camera);
    const path = told.path.filter(Boolean).map(vector);
    if (path.length > 1) this.things.add(lines(path, TWINE));
    for (const mesh of told.meshes) {
      const geometry = new BufferGeometry();
      geometry.setAttribute("position", new BufferAttribute(new Float32Array(mesh.lines), 3));
      this.things.add(new LineSegments(geometry, new LineBasicMaterial({ color: PALE, transparent: true, opacity: 0.5 })));
    }
    for (const mark of told.marks) this.cross(vector(mark.at), 0.03 * this.size, PALE);
    for (const lamp of told.lamps) this.lamp(lamp, 0.007, PALE);
    for (const lamp of [...told.lights, ...told.beams]) this.lamp(lamp, 0.009, TWINE);
    for (const card of told.cards) this.card(card);
    this.names();
  }

  camera(camera) {
    if (!camera.eye || !camera.forward || camera.round) return;
    const color = camera.counts ? TWINE : GREY, near = corners(camera, camera.near && camera.near < this.size ? camera.near : 0.02 * this.size);
    const far = corners(camera, Math.min(camera.far ?? Infinity, 0.35 * this.size));
    this.things.add(lines(near, color, { isClosed: true }), lines(far, color, { isClosed: true }));
    for (const corner of far) this.things.add(lines([vector(camera.eye), corner], color));
  }

  cross(at, size, color) {
    const ends = [[1, 0, 0], [0, 1, 0], [0, 0, 1]].flatMap((way) => [1, -1].map((side) => at.clone().addScaledVector(vector(way), side * size)));
    const geometry = new BufferGeometry().setFromPoints(ends);
    this.things.add(new LineSegments(geometry, new LineBasicMaterial({ color })));
  }

  ball(at, size, color, of) {
    const ball = new Mesh(new SphereGeometry(size, 16, 12), new MeshBasicMaterial({ color, depthTest: false, transparent: true, opacity: of && this.isChosen(of) ? 1 : 0.75 }));
    ball.position.copy(at);
    ball.renderOrder = 2;
    this.things.add(ball);
    this.balls.push(ball);
    if (of) { ball.userData = of; this.pickable.push(ball); }
    return ball;
  }

  isChosen(of) { return this.chosen && this.chosen.part === of.part && this.chosen.layer === of.layer; }

  lamp(lamp, size, color) {
    const at = lamp.shines === "sun" ? this.heart.clone().addScaledVector(vector(lamp.way), -0.8 * this.size) : vector(lamp.at);
    const of = lamp.part ? { part: lamp.part, layer: lamp.layer } : null;
    const strongest = Math.max(...lamp.colour, 1e-6), tint = new Color(...lamp.colour.map((v) => v / strongest));
    this.ball(at, of && this.isChosen(of) ? 1.5 * size : size, of ? tint : color, of);
    const way = vector(lamp.way), length = lamp.length ?? (lamp.shines === "sun" ? 0.5 : 0.15) * this.size;
    if (lamp.shines === "point") return;
    this.things.add(lines([at, at.clone().addScaledVector(way, length)], color));
    if (lamp.shines !== "spot") return;
    const aside = new Vector3(0, 1, 0).cross(way).lengthSq() > 1e-6 ? new Vector3(0, 1, 0).cross(way).normalize() : new Vector3(1, 0, 0);
    const other = way.clone().cross(aside), wide = Math.tan((Math.min(lamp.outer, 85) * Math.PI) / 180) * length, ring = [];
    for (let i = 0; i < 32; i += 1) ring.push(at.clone().addScaledVector(way, length).addScaledVector(aside, wide * Math.cos((i * Math.PI) / 16)).addScaledVector(other, wide * Math.sin((i * Math.PI) / 16)));
    this.things.add(lines(ring, color, { isClosed: true }));
    for (let i = 0; i < 32; i += 8) this.things.add(lines([at, ring[i]], color));
  }

  card(card) {
    const points = card.corners.map(vector), of = { part: "cards", layer: card.layer };
    this.things.add(lines(points, this.isChosen(of) ? TWINE : PALE, { isClosed: true }));
    const geometry = new BufferGeometry().setFromPoints([points[0], points[1], points[2], points[0], points[2], points[3]]);
    const sheet = new Mesh(geometry, new MeshBasicMaterial({ color: TWINE, side: 2, transparent: true, opacity: 0.14, blending: AdditiveBlending, depthWrite: false }));
    sheet.userData = of;
    this.things.add(sheet);
    this.pickable.push(sheet);
  }

  names() {
    const select = document.getElementById("space-through"), seen = this.told.cameras.filter((camera) => camera.eye && !camera.round);
    select.replaceChildren(new Option("from outside", ""), ...seen.map((camera) => new Option(`through ${camera.name}`, camera.name)));
    select.value = seen.some((camera) => camera.name === this.through) ? this.through : "";
    this.through = select.value;
  }

  mark(chosen) {
    this.chosen = chosen;
    if (this.told && !this.canvas.hidden) { this.build(); this.draw(); }
  }

  // Behind the camera that counts, looking the way it looks.
  place() {
    const camera = this.told.cameras.find((one) => one.counts && one.forward) ?? this.told.cameras.find((one) => one.forward);
    this.middle.copy(this.heart);
    this.away = 1.3 * this.size;
    if (camera) {
      const back = vector(camera.forward).negate();
      this.turn.yaw = (this.told.up === "z" ? Math.atan2(back.x, back.y) : Math.atan2(back.x, back.z)) + 0.5;
    }
    this.isPlaced = true;
  }

  lookThrough(name) { this.through = name; this.draw(); }

  toChosen() {
    const { chosen, told } = this;
    const one = chosen && told[chosen.part]?.[chosen.layer - 1];
    this.through = "";
    document.getElementById("space-through").value = "";
    if (one?.corners) this.middle.copy(one.corners.map(vector).reduce((sum, each) => sum.add(each.multiplyScalar(0.25)), new Vector3()));
    else if (one?.at) this.middle.copy(vector(one.at));
    else this.middle.copy(this.heart);
    this.away = one ? 0.4 * this.size : 1.3 * this.size;
    this.draw();
  }

  draw() {
    if (this.canvas.hidden || !this.told) return;
    const { clientWidth: width, clientHeight: height } = this.desk.wellElement;
    this.renderer.setSize(width, height, false);
    const camera = this.told.cameras.find((one) => one.name === this.through);
    if (camera) this.seeAs(camera, width / height);
    else {
      const { yaw, pitch } = this.turn, level = Math.cos(pitch);
      const way = this.told.up === "z" ? new Vector3(Math.sin(yaw) * level, Math.cos(yaw) * level, Math.sin(pitch)) : new Vector3(Math.sin(yaw) * level, Math.sin(pitch), Math.cos(yaw) * level);
      this.eye.up.set(0, this.told.up === "z" ? 0 : 1, this.told.up === "z" ? 1 : 0);
      this.eye.position.copy(this.middle).addScaledVector(way, this.away);
      this.eye.lookAt(this.middle);
      this.eye.near = this.away / 500;
      this.eye.far = this.away + 50 * this.size;
      this.eye.fov = 45;
      this.eye.aspect = width / height;
      this.eye.updateProjectionMatrix();
    }
    this.eye.updateMatrixWorld();
    // Lamps are as large on the screen, however far they hang.
    for (const ball of this.balls) ball.scale.setScalar(Math.max(ball.position.distanceTo(this.eye.position), 1e-6) * (camera ? camera.wide : 0.55) * 1.6);
    this.behind(camera);
    this.renderer.render(this.scene, this.eye);
  }

  // The whole picture fits in; the film may be shifted.
  seeAs(camera, aspect) {
    const wide = Math.max(camera.wide, camera.high * aspect), high = wide / aspect;
    const near = 0.002 * this.size, far = 100 * this.size;
    const right = vector(camera.right), up = vector(camera.down).negate(), back = vector(camera.forward).negate();
    this.eye.position.copy(vector(camera.eye));
    this.eye.quaternion.setFromRotationMatrix(new Matrix4().makeBasis(right, up, back));
    this.eye.near = near;
    this.eye.far = far;
    this.eye.projectionMatrix.makePerspective((camera.shift - wide) * near, (camera.shift + wide) * near, (high - camera.drop) * near, (-high - camera.drop) * near, near, far);
    this.eye.projectionMatrixInverse.copy(this.eye.projectionMatrix).invert();
  }

  // Looking through the shot's camera, its picture stands behind everything.
  behind(camera) {
    if (this.sheet) { this.scene.remove(this.sheet); this.sheet.geometry.dispose(); this.sheet = null; }
    this.cloud.visible = !camera?.counts;
    if (!camera?.counts) return;
    const address = `/shots/${this.desk.shot}/frames/${this.desk.frame}/behind.png?${this.asked}`;
    if (this.address !== address) {
      this.address = address;
      this.texture?.dispose();
      this.texture = this.textures.load(address, () => this.draw());
      this.texture.colorSpace = "srgb";
    }
    const far = 60 * this.size, [a, b, c, d] = corners(camera, far), geometry = new BufferGeometry().setFromPoints([a, d, b, b, d, c]);
    geometry.setAttribute("uv", new BufferAttribute(new Float32Array([0, 1, 0, 0, 1, 1, 1, 1, 0, 0, 1, 0]), 2));
    this.sheet = new Mesh(geometry, new MeshBasicMaterial({ map: this.texture, depthWrite: false }));
    this.sheet.renderOrder = -1;
    this.scene.add(this.sheet);
  }

  setUpHands() {
    const { canvas } = this;
    let held = null;
    const ray = (event) => {
      const box = canvas.getBoundingClientRect(), caster = new Raycaster();
      caster.setFromCamera(new Vector2(((event.clientX - box.left) / box.width) * 2 - 1, 1 - ((event.clientY - box.top) / box.height) * 2), this.eye);
      return caster;
    };
    canvas.addEventListener("pointerdown", (event) => {
      canvas.setPointerCapture(event.pointerId);
      const hit = ray(event).intersectObjects(this.pickable ?? [])[0];
      const of = hit?.object.userData ?? null;
      held = { x: event.clientX, y: event.clientY, of, point: hit?.point, moved: false };
      if (of && hit) held.plane = new Plane().setFromNormalAndCoplanarPoint(this.eye.getWorldDirection(new Vector3()), hit.point);
    });
    canvas.addEventListener("pointermove", (event) => {
      if (!held) return;
      const dx = event.clientX - held.x, dy = event.clientY - held.y;
      held.moved ||= Math.hypot(dx, dy) > 4;
      if (!held.moved) return;
      if (held.of && this.isChosen(held.of)) {
        const at = ray(event).ray.intersectPlane(held.plane, new Vector3());
        if (at) { held.by = at.sub(held.point); this.ghost(held); }
        return;
      }
      Object.assign(held, { x: event.clientX, y: event.clientY });
      if (this.through) return;
      if (event.shiftKey) {
        const step = (this.away * 2 * Math.tan(Math.PI / 8)) / canvas.clientHeight;
        this.middle.addScaledVector(new Vector3().setFromMatrixColumn(this.eye.matrixWorld, 0), -dx * step).addScaledVector(new Vector3().setFromMatrixColumn(this.eye.matrixWorld, 1), dy * step);
      } else {
        this.turn.yaw -= dx * 0.006;
        this.turn.pitch = Math.min(1.55, Math.max(-1.55, this.turn.pitch + dy * 0.006));
      }
      this.draw();
    });
    canvas.addEventListener("pointerup", () => {
      const { of, moved, by } = held ?? {};
      held = null;
      this.ghost(null);
      if (of && !moved) this.hands.choose(of);
      if (of && by) this.hands.move(of, this.typed(of, by));
    });
    canvas.addEventListener("wheel", (event) => {
      event.preventDefault();
      if (this.through) return;
      this.away *= 1.0015 ** event.deltaY;
      this.draw();
    }, { passive: false });
  }

  // Where it was placed, and as far as it was dragged.
  typed(of, by) {
    const field = this.desk.place.querySelector(`[name="scene.${of.part}.${of.layer}.position"]`);
    const now = field.value.trim().split(/\s+/).map(Number);
    return [now[0] + by.x, now[1] + by.y, now[2] + by.z];
  }

  ghost(held) {
    if (this.shadow) { this.scene.remove(this.shadow); this.shadow.geometry.dispose(); this.shadow = null; }
    if (!held?.by) return this.draw();
    this.shadow = lines([held.point, held.point.clone().add(held.by)], TWINE);
    this.scene.add(this.shadow);
    return this.draw();
  }
}
