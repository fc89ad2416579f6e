// The eye: parallel as drawings are, or in perspective with the same picture at the place that is looked at.
import { OrthographicCamera, type Raycaster, Vector2, Vector3 } from "three";

export class Eye extends OrthographicCamera {
  private perspective = false;
  /** From the eye to the place that is looked at. */
  private distance = 1;

  get isInPerspective(): boolean {
    return this.perspective;
  }

  setPerspective(on: boolean): void {
    this.perspective = on;
    this.updateProjectionMatrix();
  }

  /** Where the eye stands off what is looked at. */
  setDistance(distance: number): void {
    this.distance = distance;
    this.near = distance * 0.005;
    this.far = distance * 4;
  }

  override updateProjectionMatrix(): void {
    super.updateProjectionMatrix();
    if (!this.perspective) return;
    // With the front plane here, the middle of the depths is the place that is looked at, as it is in parallel:
    // zooming to the pointer relies on it.
    const near = (this.distance * this.far) / (2 * this.far - this.distance);
    const part = near / this.distance / this.zoom;
    const [wide, high] = [((this.right - this.left) / 2) * part, ((this.top - this.bottom) / 2) * part];
    this.projectionMatrix.makePerspective(-wide, wide, high, -high, near, this.far);
    this.projectionMatrixInverse.copy(this.projectionMatrix).invert();
  }

  /** Sets a ray through a place of the picture, each way from -1 to 1. */
  aim(ray: Raycaster, x: number, y: number): void {
    ray.setFromCamera(new Vector2(x, y), this);
    if (!this.perspective) return;
    const through = new Vector3(x, y, 0).unproject(this).sub(this.position).normalize();
    ray.ray.set(this.position.clone(), through);
  }
}
