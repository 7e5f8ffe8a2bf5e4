"""Projects: made, renamed, copied, deleted and brought back, shared; and closed to everybody else."""

from django.contrib.auth.models import User

from projects.models import Project
from zeitbild_server.testing import StudioCase


class Projects(StudioCase):
    def test_a_new_project_gives_its_defaults_to_new_shots(self) -> None:
        defaults = {"raster": {"width": 640, "height": 360}, "timing": {"rate": "25", "last": 50}}
        project = self.post("/api/projects", {"code": "LT", "title": "Lamp tour", "defaults": defaults})
        row = self.post(f"/api/projects/{project['id']}/shots", {"code": "LT001", "title": "First"})
        document = self.get(f"/api/shots/{row['id']}")["document"]
        self.assertEqual((document["raster"]["width"], document["timing"]["rate"]), (640, "25"))
        self.assertEqual((document["project"], document["shot"]), ("LT", "LT001"))
        self.assertEqual(document["elements"][0]["kind"], "lettering")

    def test_wrong_values_name_their_fields_and_make_nothing(self) -> None:
        for body, field in (
            ({"code": "a b", "title": "x"}, "project"),
            ({"code": "A", "title": " "}, "title"),
            ({"code": "A", "title": "x", "defaults": {"raster": {"width": 3, "height": 9}}}, "raster.width"),
            ({"code": "A", "title": "x", "defaults": {"naming": "{frame:04}.png"}}, "naming"),
            ({"code": "A", "title": "x", "defaults": {"elements": []}}, "elements"),
        ):
            answer = self.post("/api/projects", body, expect=422)
            self.assertEqual(answer["problems"][0]["field"], field)
        self.assertEqual(Project.objects.count(), 1)

    def test_pictures_of_the_shots_worked_on_last_stand_for_a_project(self) -> None:
        made = [
            self.post(f"/api/projects/{self.project.id}/shots", {"code": f"KM{number:03}", "title": "More"})["id"]
            for number in range(20, 26)
        ]
        self.post(f"/api/shots/{made[-1]}", method="delete", expect=204)
        (project,) = self.get("/api/projects")
        self.assertEqual([one["shot"] for one in project["shown"]], made[-2::-1][:5])
        shown = project["shown"][0]
        answer = self.client.get(f"/api/shots/{shown['shot']}/poster/{shown['revision']}")
        self.assertEqual((answer.status_code, answer["Content-Type"]), (200, "image/jpeg"))

    def test_rename_keeps_the_shots(self) -> None:
        changed = self.post(f"/api/projects/{self.project.id}", {"code": "KX", "title": "Other"}, "put")
        self.assertEqual((changed["code"], changed["title"], changed["shot_count"]), ("KX", "Other", 1))

    def test_delete_and_undo(self) -> None:
        self.post(f"/api/projects/{self.project.id}", method="delete", expect=204)
        self.assertEqual(self.get("/api/projects"), [])
        self.get(f"/api/shots/{self.shot.id}", expect=404)
        self.assertEqual(len(self.get("/api/projects?deleted=true")), 1)
        self.post(f"/api/projects/{self.project.id}/restore")
        self.get(f"/api/shots/{self.shot.id}")

    def test_a_copy_has_the_same_shots_and_a_life_of_its_own(self) -> None:
        copy = self.post(f"/api/projects/{self.project.id}/duplicate")
        shots = self.get(f"/api/projects/{copy['id']}/shots")
        self.assertEqual([shot["code"] for shot in shots], ["KM010"])
        self.assertNotEqual(shots[0]["id"], self.shot.id)

    def test_nobody_else_reaches_a_project_until_it_is_shared(self) -> None:
        ben = User.objects.create_user("ben", password="gallery-12")
        run = self.post(f"/api/shots/{self.shot.id}/runs", {"base": self.shot.current_id})
        self.work()
        handoff = self.post(f"/api/runs/{run['id']}/handoffs", {"forms": [{"recipe": "png8"}]})
        self.work()
        body = {"document": {}, "frame": 1, "width": 16, "height": 9}
        shot, project = f"/api/shots/{self.shot.id}", f"/api/projects/{self.project.id}"
        self.client.force_login(ben)
        self.assertEqual(self.get("/api/projects"), [])
        for path in (
            project,
            f"{project}/shots",
            f"{project}/fonts",
            f"{project}/files/drawings",
            shot,
            f"{shot}/document",
            f"{shot}/runs",
            f"{shot}/handoffs",
            f"{shot}/poster/1",
            f"/api/runs/{run['id']}",
            f"/api/runs/{run['id']}/events",
            f"/api/runs/{run['id']}/cells/sign/1/picture",
            f"/api/runs/{run['id']}/cells/sign/1/probe?x=1&y=1",
            f"/api/handoffs/{handoff['id']}/package",
            f"/api/handoffs/{handoff['id']}/manifest",
            f"/api/handoffs/{handoff['id']}/events",
            f"/api/handoffs/{handoff['id']}/forms/0/shown/0",
        ):
            self.assertEqual(self.client.get(path).status_code, 404, path)
        for path, what in (
            (f"{project}/shots", {"code": "X1", "title": "x"}),
            (f"{project}/duplicate", {}),
            (f"{project}/members", {"username": "ben"}),
            (f"{shot}/picture", body),
            (f"{shot}/examine", body),
            (f"{shot}/estimate", body),
            (f"{shot}/undo", {"base": 1}),
            (f"{shot}/runs", {"base": 1}),
            (f"/api/runs/{run['id']}/stop", {}),
            (f"/api/runs/{run['id']}/handoffs", {"forms": [{"recipe": "png8"}]}),
            (f"/api/runs/{run['id']}/trial", {"forms": [{"recipe": "png8"}]}),
            (f"/api/handoffs/{handoff['id']}/retry", {}),
        ):
            self.post(path, what, expect=404)
        self.client.force_login(self.ada)
        self.post(f"{project}/members", {"username": "ben"})
        self.client.force_login(ben)
        self.get(shot)

    def test_sharing_with_nobody_says_so(self) -> None:
        answer = self.post(f"/api/projects/{self.project.id}/members", {"username": "nobody"}, expect=422)
        self.assertEqual(answer["problems"][0]["field"], "username")

    def test_signed_out_people_see_nothing(self) -> None:
        self.client.logout()
        for path in ("/api/projects", "/api/offers", f"/api/shots/{self.shot.id}", "/api/runs/1/events"):
            self.assertEqual(self.client.get(path).status_code, 401)


class NamingRules(StudioCase):
    def test_rules_are_kept_replaced_and_forgotten(self) -> None:
        path = f"/api/projects/{self.project.id}/naming-rules"
        self.assertEqual(self.get(path), [])
        self.post(path, {"name": "zoo", "rule": "{pass}.{frame:04}.{ext}"})
        kept = self.post(path, {"name": " Ärger ", "rule": "{layer}_{pass}.{frame:04}.{ext}"})
        self.assertEqual([one["name"] for one in kept], ["zoo", "Ärger"])
        kept = self.post(path, {"name": "zoo", "rule": "{shot}.{frame:05}.{ext}"})
        self.assertEqual(kept[0]["rule"], "{shot}.{frame:05}.{ext}")
        copy = self.post(f"/api/projects/{self.project.id}/duplicate")
        self.assertEqual(self.get(f"/api/projects/{copy['id']}/naming-rules"), kept)
        left = self.client.delete(f"{path}?name=zoo").json()
        self.assertEqual([one["name"] for one in left], ["Ärger"])

    def test_what_cannot_name_files_or_has_no_name_is_not_kept(self) -> None:
        path = f"/api/projects/{self.project.id}/naming-rules"
        for name, rule, said in (
            ("x", "{shot}.{ext}", "no {frame} field"),
            ("", "{frame:04}.{ext}", "1 to 60 characters"),
            ("a\nb", "{frame:04}.{ext}", "1 to 60 characters"),
            ("y" * 61, "{frame:04}.{ext}", "1 to 60 characters"),
        ):
            self.assertIn(said, self.post(path, {"name": name, "rule": rule}, expect=422)["detail"])
        for number in range(40):
            self.post(path, {"name": str(number), "rule": "{frame:04}.{ext}"})
        self.post(path, {"name": "one more", "rule": "{frame:04}.{ext}"}, expect=422)


class SigningIn(StudioCase):
    def test_name_and_password(self) -> None:
        self.client.logout()
        self.assertIsNone(self.get("/api/session")["username"])
        self.post("/api/session", {"username": "ada", "password": "wrong"}, expect=403)
        self.post("/api/session", {"username": "ada", "password": "lamp-room-7"})
        self.assertEqual(self.get("/api/session")["username"], "ada")
        self.post("/api/session", method="delete")
        self.assertIsNone(self.get("/api/session")["username"])

    def test_forged_requests_are_refused(self) -> None:
        from django.test import Client

        strict = Client(enforce_csrf_checks=True)
        body = {"username": "ada", "password": "lamp-room-7"}
        self.assertEqual(strict.post("/api/session", body, content_type="application/json").status_code, 403)
        strict.force_login(self.ada)
        self.assertEqual(
            strict.post("/api/projects", {"code": "A", "title": "x"}, content_type="application/json").status_code, 403
        )
        self.assertEqual(Project.objects.count(), 1)
