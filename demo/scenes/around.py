"""A camera that sees all round, the stand under it, and its XMP. For makers only."""

from __future__ import annotations

from typing import Any

import mitsuba as mi
import numpy as np
from studio import Scene, surface


class Around(mi.Sensor):  # type: ignore[misc]
    """A camera that sees all round: equirectangular, the picture's middle toward +y, up at its top."""

    def __init__(self, props: Any) -> None:
        super().__init__(props)
        self.pose = mi.Transform4f(mi.ScalarTransform4f(np.asarray(props["to_world"].matrix)))

    def sample_ray_differential(
        self, time: Any, wavelength_sample: Any, position_sample: Any, aperture_sample: Any, active: Any = True
    ) -> tuple[Any, Any]:
        ray, weight = self.sample_ray(time, wavelength_sample, position_sample, aperture_sample, active)
        return mi.RayDifferential3f(ray), weight

    def sample_ray(
        self, time: Any, wavelength_sample: Any, position_sample: Any, aperture_sample: Any, active: Any = True
    ) -> tuple[Any, Any]:
        import drjit as dr

        film = self.film()
        full, crop, offset = film.size(), film.crop_size(), film.crop_offset()
        u = (position_sample.x * crop[0] + offset[0]) / full[0]
        v = (position_sample.y * crop[1] + offset[1]) / full[1]
        heading, latitude = (u - 0.5) * (2 * dr.pi), (0.5 - v) * dr.pi
        out = mi.Vector3f(dr.sin(heading) * dr.cos(latitude), dr.cos(heading) * dr.cos(latitude), dr.sin(latitude))
        wavelengths, weight = self.sample_wavelengths(dr.zeros(mi.SurfaceInteraction3f), wavelength_sample, active)
        ray = mi.Ray3f(self.pose @ mi.Point3f(0, 0, 0), self.pose @ out, time, wavelengths)
        return ray, weight


mi.register_sensor("around", Around)


def photo_sphere(width: int, height: int, heading: float) -> bytes:
    """The XMP packet of a whole flat panorama, by Photo Sphere XMP Metadata."""
    facts = {
        "ProjectionType": "equirectangular",
        "UsePanoramaViewer": "True",
        "CroppedAreaImageWidthPixels": width,
        "CroppedAreaImageHeightPixels": height,
        "FullPanoWidthPixels": width,
        "FullPanoHeightPixels": height,
        "CroppedAreaLeftPixels": 0,
        "CroppedAreaTopPixels": 0,
        "PoseHeadingDegrees": heading,
        "InitialViewHeadingDegrees": 0,
    }
    said = " ".join(f'GPano:{name}="{value}"' for name, value in facts.items())
    return (
        '<?xpacket begin="\ufeff" id="W5M0MpCehiHzreSzNTczkc9d"?><x:xmpmeta xmlns:x="adobe:ns:meta/">'
        '<rdf:RDF xmlns:rdf="http://www.w3.org/1999/02/22-rdf-syntax-ns#"><rdf:Description rdf:about="" '
        f'xmlns:GPano="http://ns.google.com/photos/1.0/panorama/" {said}/></rdf:RDF></x:xmpmeta><?xpacket end="r"?>'
    ).encode()


def tripod(scene: Scene, height: float, at: tuple[float, float] = (0, 0)) -> None:
    """What stands under the camera that sees all round: head, column, three legs with feet."""
    foot = np.array([*at, 0.0])
    black = surface((0.022, 0.022, 0.024), 0.45, 0.4)
    metal = {"type": "roughconductor", "material": "Al", "alpha": 0.22}
    scene.lathe(
        [(0.001, 0), (0.030, 0.001), (0.034, 0.02), (0.033, 0.055), (0.020, 0.062), (0.001, 0.063)],
        (*at, height - 0.29),
        black,
        sharp=True,
    )
    scene.tube([(*at, height - 0.29 - 0.02 * k) for k in range(26)], 0.013, metal)
    for k in range(3):
        a = np.radians(18 + 120 * k)
        way = np.array([np.cos(a), np.sin(a), 0])
        t = np.linspace(0, 1, 40)[:, None]
        leg = foot + way * (0.03 + 0.43 * t) + np.array([0, 0, 1]) * ((height - 0.38) * (1 - t) + 0.012)
        scene.tube(leg[:26], 0.014, black, 16)
        scene.tube(leg[24:], 0.010, metal, 16)
        scene.tube(
            [leg[-1] + [0, 0, 0.022], leg[-1] + [0, 0, 0.005], leg[-1] - [0, 0, 0.012]], [0.013, 0.016, 0.016], black
        )
