"""The lights of the Stage."""

from __future__ import annotations

from vtkmodules.vtkRenderingCore import vtkLight, vtkRenderer


def light(renderer: vtkRenderer) -> None:
    """One light from the viewer's left shoulder, one from the sky so that tops are light."""
    renderer.RemoveAllLights()
    renderer.AutomaticLightCreationOff()
    shoulder = vtkLight()
    shoulder.SetLightTypeToCameraLight()
    shoulder.SetPosition(-0.5, 0.6, 1.0)
    shoulder.SetIntensity(0.88)
    sky = vtkLight()
    sky.SetLightTypeToSceneLight()
    sky.SetPosition(0.0, 0.0, 1.0)
    sky.SetFocalPoint(0.0, 0.0, 0.0)
    sky.SetIntensity(0.42)
    renderer.AddLight(shoulder)
    renderer.AddLight(sky)
