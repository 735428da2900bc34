"""Lists cost the same number of queries whatever their size."""

import pytest

from syntonos.server.matching.models import ChartReading, Match
from syntonos.server.productions.services import create_light


def more_lights(place, count):
    """Lights with readings and a match of their own, as copies of the first one's."""
    base, own = (
        ChartReading.objects.filter(clip__camera=place.cameras[letter]).earliest("pk")
        for letter in "AB"
    )
    first = Match.objects.get(is_current=True, light=place.light)
    for i in range(count):
        light = create_light(place.production, {"name": f"light {count} {i}"})
        rows = []
        for row in (base, own):
            clip = row.clip.__class__.objects.get(pk=row.clip_id)
            clip.pk, clip.light, clip.name = None, light, f"{clip.name} {light.pk}"
            clip.uuid = type(clip)._meta.get_field("uuid").default()
            clip.save(force_insert=True)
            rows.append(ChartReading.every.create(
                clip=clip, number=1, frames=row.frames, found_by=row.found_by, data=row.data,
                encoding=row.encoding, levels=row.levels, notes=row.notes,
            ))  # fmt: skip
        Match.objects.create(
            light=light, camera=first.camera, reference=first.reference, number=1, is_current=True,
            reference_reading=rows[0], angle_reading=rows[1], chain=first.chain,
            evidence=first.evidence,
        )  # fmt: skip


@pytest.mark.parametrize(
    ("what", "queries"), [("", 18), ("/matches", 3), ("/neighbours", 7)]
)  # fmt: skip
def test_an_angle_its_revisions_and_its_neighbours(
    api, place, read, django_assert_num_queries, what, queries
):
    read("AB")
    path = f"/lights/{place.light.pk}/cameras/{place.cameras['B'].pk}"
    for number in range(2):
        api("post", f"{path}/matches", {"base_number": number}, 201)
    more_lights(place, 2)
    with django_assert_num_queries(queries):
        few = api("get", f"{path}{what}")
    for number in range(2, 5):
        api("post", f"{path}/matches", {"base_number": number, "model": "white"}, 201)
    more_lights(place, 6)
    with django_assert_num_queries(queries):
        many = api("get", f"{path}{what}")
    assert few != many
