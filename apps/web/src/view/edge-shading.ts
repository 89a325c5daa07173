import * as THREE from 'three';

const VERTEX = /* glsl */ `
  varying vec2 at;
  void main() {
    at = uv;
    gl_Position = vec4(position.xy, 0.0, 1.0);
  }
`;

const FRAGMENT = /* glsl */ `
  #include <packing>
  uniform sampler2D colors, depths;
  uniform vec2 pixel;
  uniform float near, far;
  varying vec2 at;
  float depthAt(vec2 p) {
    return log2(-perspectiveDepthToViewZ(texture2D(depths, p).x, near, far));
  }
  void main() {
    vec4 c = texture2D(colors, at);
    if (texture2D(depths, at).x < 1.0) {
      float own = depthAt(at);
      float behind = 0.0;
      for (int k = 0; k < 8; k++) {
        float a = 0.7853981634 * float(k);
        behind += max(0.0, own - depthAt(at + pixel * vec2(cos(a), sin(a))));
      }
      c.rgb *= max(0.35, exp(-STRENGTH * behind / 8.0));
    }
    gl_FragColor = c;
    #include <colorspace_fragment>
  }
`;

/** How dark an edge is, and how far its neighbours are looked at, page pixels. */
const STRENGTH = 120;
const REACH = 1.4;

/**
 * Draws a scene with its edges shaded: a pixel is darkened by how much its neighbours lie before it. Shape is to be seen
 * in points that have no normals.
 * Source: C. Boucheny (2009), Interactive scientific visualization of large datasets: towards a perceptive-based approach
 * (eye-dome lighting).
 */
export class EdgeShading {
  private readonly target: THREE.WebGLRenderTarget;
  private readonly material = new THREE.ShaderMaterial({
    vertexShader: VERTEX,
    fragmentShader: FRAGMENT,
    defines: { STRENGTH: STRENGTH.toFixed(1) },
    uniforms: {
      colors: { value: null },
      depths: { value: null },
      pixel: { value: new THREE.Vector2() },
      near: { value: 1 },
      far: { value: 2 },
    },
    depthTest: false,
    depthWrite: false,
  });
  private readonly sheet = new THREE.Mesh(new THREE.PlaneGeometry(2, 2), this.material);
  private readonly sheetScene = new THREE.Scene().add(this.sheet);
  private readonly sheetCamera = new THREE.Camera();

  /** @param samples for smoothing; 0 for none */
  constructor(samples: number) {
    this.target = new THREE.WebGLRenderTarget(1, 1, {
      type: THREE.HalfFloatType,
      depthTexture: new THREE.DepthTexture(1, 1),
      samples,
    });
    this.sheet.frustumCulled = false;
  }

  /** Draws into the renderer's canvas, within its scissor. */
  render(renderer: THREE.WebGLRenderer, scene: THREE.Scene, camera: THREE.PerspectiveCamera): void {
    const size = renderer.getDrawingBufferSize(new THREE.Vector2());
    if (this.target.width !== size.x || this.target.height !== size.y) this.target.setSize(size.x, size.y);
    renderer.setRenderTarget(this.target);
    renderer.render(scene, camera);
    renderer.setRenderTarget(null);
    const { uniforms } = this.material;
    uniforms.colors.value = this.target.texture;
    uniforms.depths.value = this.target.depthTexture;
    const reach = REACH * renderer.getPixelRatio();
    (uniforms.pixel.value as THREE.Vector2).set(reach / size.x, reach / size.y);
    uniforms.near.value = camera.near;
    uniforms.far.value = camera.far;
    renderer.render(this.sheetScene, this.sheetCamera);
  }

  dispose(): void {
    this.target.depthTexture?.dispose();
    this.target.dispose();
    this.material.dispose();
    this.sheet.geometry.dispose();
  }
}
