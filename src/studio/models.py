"""What the studio keeps: people, sittings, portraits, their sheets and edits, and exports."""

import uuid

from django.contrib.auth.models import AbstractUser
from django.db import models


class User(AbstractUser):
    """A photographer; the user name is the e-mail address in lower case."""


class Visit(models.Model):
    """A browser in which somebody is signed in: it ends when it is idle for long, or from elsewhere."""

    user = models.ForeignKey(User, models.CASCADE, related_name="visits")
    session = models.CharField(max_length=40, unique=True)
    began = models.DateTimeField(auto_now_add=True)
    seen = models.DateTimeField(auto_now_add=True)
    browser = models.CharField(max_length=300, blank=True)
    address = models.CharField(max_length=60, blank=True)

    class Meta:
        ordering = ("-seen",)

    def __str__(self) -> str:
        return self.browser


class Try(models.Model):
    """Something that may not be tried without end, and by whom it was: a name or an address."""

    what = models.CharField(max_length=20)
    who = models.CharField(max_length=150)
    at = models.DateTimeField(auto_now_add=True)

    class Meta:
        indexes = (models.Index(fields=("what", "who", "at"), name="tries_of_somebody"),)

    def __str__(self) -> str:
        return f"{self.what} by {self.who}"


def _place(folder: str, instance: models.Model, filename: str) -> str:
    # The photographer's file name never becomes a path.
    return f"{folder}/{instance.pk}/{uuid.uuid4().hex}"


def original_place(instance: models.Model, filename: str) -> str:
    """Where an original lies in the storage."""
    return _place("originals", instance, filename)


def thumbnail_place(instance: models.Model, filename: str) -> str:
    """Where a thumbnail lies in the storage."""
    return _place("thumbnails", instance, filename)


def result_place(instance: models.Model, filename: str) -> str:
    """Where an exported file lies in the storage."""
    return _place("exports", instance, filename)


def preset_place(instance: models.Model, filename: str) -> str:
    """Where a picture of a preset lies in the storage."""
    return _place("presets", instance, filename)


def carried_place(instance: models.Model, filename: str) -> str:
    """Where a picture of what was carried over lies in the storage."""
    return _place("carried", instance, filename)


class Sitting(models.Model):
    """The pictures of one portrait session."""

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    owner = models.ForeignKey(User, models.CASCADE, related_name="sittings")
    name = models.CharField(max_length=120)
    credits = models.JSONField(default=dict, help_text="what its files say of themselves")
    created = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ("-created",)

    def __str__(self) -> str:
        return self.name


class Sitter(models.Model):
    """Somebody of a sitting, by the name that the photographer gave; without a name until then."""

    sitting = models.ForeignKey(Sitting, models.CASCADE, related_name="sitters")
    name = models.CharField(max_length=120, blank=True)

    class Meta:
        ordering = ("id",)

    def __str__(self) -> str:
        return self.name


class Portrait(models.Model):
    """One picture of a sitting, with its original file, its sheet, and how far its preparation is."""

    class State(models.TextChoices):
        """How far preparation is."""

        WAITING = "waiting"
        PREPARING = "preparing"
        READY = "ready"
        FAILED = "failed"

    class Search(models.TextChoices):
        """How far the search for faces and people is."""

        NONE = "none"
        WAITING = "waiting"
        RUNNING = "running"
        READY = "ready"
        FAILED = "failed"

    class Flag(models.TextChoices):
        """What the photographer means to do with it."""

        NONE = ""
        KEEP = "keep"
        MAYBE = "maybe"
        OUT = "leave out"

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    sitting = models.ForeignKey(Sitting, models.CASCADE, related_name="portraits")
    flag = models.CharField(max_length=12, choices=Flag.choices, default=Flag.NONE, blank=True)
    name = models.CharField(max_length=200)
    file_name = models.CharField(max_length=200)
    bytes = models.BigIntegerField(default=0)
    original = models.FileField(upload_to=original_place, blank=True, max_length=200)
    thumbnail = models.FileField(upload_to=thumbnail_place, blank=True, max_length=200)
    facts = models.JSONField(default=dict)
    retouched = models.FileField(upload_to=thumbnail_place, blank=True, max_length=200)
    shown = models.PositiveIntegerField(default=0, help_text="the revision that is seen on what is retouched")
    wanted = models.PositiveIntegerField(default=0, help_text="the revision that was asked for last")
    steps = models.PositiveIntegerField(default=0, help_text="touches of the revision that is seen")
    state = models.CharField(max_length=12, choices=State.choices, default=State.WAITING)
    progress = models.FloatField(default=0)
    problem = models.TextField(blank=True)
    created = models.DateTimeField(auto_now_add=True)

    search = models.CharField(max_length=12, choices=Search.choices, default=Search.NONE)
    search_progress = models.FloatField(default=0)
    noted = models.BooleanField(default=False, help_text="its faces are kept, to be told from others")

    revision = models.PositiveIntegerField(default=0)
    finished = models.JSONField(null=True, help_text="width and height as turned and cropped; none: the file's own")
    head = models.ForeignKey("Edit", models.SET_NULL, null=True, blank=True, related_name="+")
    take = models.ForeignKey("Take", models.SET_NULL, null=True, blank=True, related_name="+")

    class Meta:
        ordering = ("created", "name")

    def __str__(self) -> str:
        return self.name


class Face(models.Model):
    """A face that was found on a portrait, by what it is told from others; ``said``: the photographer said whose it is.

    Without a sitter and said, it is nobody's who counts (somebody in the background).
    """

    portrait = models.ForeignKey(Portrait, models.CASCADE, related_name="faces")
    number = models.PositiveSmallIntegerField(help_text="from 1, from left to right")
    box = models.JSONField(help_text="x, y, width, height in long sides")
    traits = models.JSONField()
    sitter = models.ForeignKey(Sitter, models.SET_NULL, null=True, blank=True, related_name="faces")
    said = models.BooleanField(default=False)

    class Meta:
        ordering = ("portrait", "number")
        constraints = (models.UniqueConstraint(fields=("portrait", "number"), name="one_face_a_number"),)

    def __str__(self) -> str:
        return f"face {self.number} of {self.portrait}"


class Edit(models.Model):
    """One change of a sheet: a node of the portrait's history.

    ``parent`` is the edit it was made on. The sheet stands at its ``head``; undo moves the head to the parent, redo
    to the youngest child, and a change made on an older point starts a branch beside the old one. Now and then the
    whole ``document`` is kept with one, so that any point is reached from the nearest such edit before it: ``since``
    counts the edits from there, ``weight`` their bytes, and ``whole`` are the bytes of that document.
    """

    portrait = models.ForeignKey(Portrait, models.CASCADE, related_name="edits")
    parent = models.ForeignKey("self", models.CASCADE, null=True, related_name="children")
    revision = models.PositiveIntegerField(help_text="the revision of the sheet that this edit made")
    operations = models.JSONField()
    inverse = models.JSONField()
    words = models.CharField(max_length=200)
    created = models.DateTimeField(auto_now_add=True)
    document = models.JSONField(null=True)
    since = models.PositiveSmallIntegerField(default=0)
    weight = models.PositiveIntegerField(default=0)
    whole = models.PositiveIntegerField(default=0)

    class Meta:
        ordering = ("id",)
        constraints = (models.UniqueConstraint(fields=("portrait", "revision"), name="one_edit_a_revision"),)

    def __str__(self) -> str:
        return self.words


class Mark(models.Model):
    """A named point of a history; without an edit, its beginning."""

    portrait = models.ForeignKey(Portrait, models.CASCADE, related_name="marks")
    edit = models.ForeignKey(Edit, models.CASCADE, null=True, related_name="+")
    name = models.CharField(max_length=80)
    created = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ("id",)

    def __str__(self) -> str:
        return self.name


class Take(models.Model):
    """A named variant of a sheet. Where it stands is its ``head``; of the open one, the portrait's own."""

    portrait = models.ForeignKey(Portrait, models.CASCADE, related_name="takes")
    head = models.ForeignKey(Edit, models.SET_NULL, null=True, related_name="+")
    name = models.CharField(max_length=80)
    created = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ("id",)

    def __str__(self) -> str:
        return self.name


class Going(models.TextChoices):
    """Whether work on several portraits goes on."""

    GOING = "going"
    PAUSED = "paused"
    CANCELLED = "cancelled"


class Batch(models.Model):
    """Files of several portraits that were ordered together; ``orders`` as they were asked for."""

    State = Going

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    sitting = models.ForeignKey(Sitting, models.CASCADE, related_name="batches")
    orders = models.JSONField()
    state = models.CharField(max_length=12, choices=State.choices, default=State.GOING)
    created = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ("-created",)

    def __str__(self) -> str:
        return f"{self.sitting}, {self.created:%d %B}"


class Export(models.Model):
    """A finished file that was asked for: the sheet as it stood then, and how far the work is.

    One of a batch has its ``path`` among the batch's files.
    """

    class State(models.TextChoices):
        """How far the export is."""

        WAITING = "waiting"
        RUNNING = "running"
        READY = "ready"
        FAILED = "failed"
        CANCELLED = "cancelled"

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    portrait = models.ForeignKey(Portrait, models.CASCADE, related_name="exports")
    batch = models.ForeignKey(Batch, models.CASCADE, null=True, related_name="exports")
    document = models.JSONField()
    order = models.JSONField()
    file_name = models.CharField(max_length=200)
    path = models.CharField(max_length=400, blank=True)
    state = models.CharField(max_length=12, choices=State.choices, default=State.WAITING)
    progress = models.FloatField(default=0)
    problem = models.TextField(blank=True)
    result = models.FileField(upload_to=result_place, blank=True, max_length=200)
    bytes = models.BigIntegerField(default=0)
    created = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ("-created",)

    def __str__(self) -> str:
        return self.file_name


class PressProfile(models.Model):
    """A press of a person's, by its ICC profile."""

    owner = models.ForeignKey(User, models.CASCADE, related_name="presses")
    name = models.CharField(max_length=120)
    data = models.BinaryField()

    class Meta:
        ordering = ("name", "id")

    def __str__(self) -> str:
        return self.name


class Preset(models.Model):
    """Saved touches of a person's, with a picture before and after."""

    owner = models.ForeignKey(User, models.CASCADE, related_name="presets")
    name = models.CharField(max_length=120)
    notes = models.CharField(max_length=2000, blank=True)
    document = models.JSONField()
    before = models.FileField(upload_to=preset_place, blank=True, max_length=200)
    after = models.FileField(upload_to=preset_place, blank=True, max_length=200)
    created = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ("name", "id")

    def __str__(self) -> str:
        return self.name


class CarryOver(models.Model):
    """A preset on its way to portraits of a sitting; ``document`` as it was when that was asked for."""

    State = Going

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    sitting = models.ForeignKey(Sitting, models.CASCADE, related_name="carry_overs")
    name = models.CharField(max_length=120)
    document = models.JSONField()
    state = models.CharField(max_length=12, choices=State.choices, default=State.GOING)
    created = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ("-created",)

    def __str__(self) -> str:
        return self.name


class CarriedTo(models.Model):
    """One portrait of a carry-over: the edit it got, what is to be said of it, and what the photographer thinks.

    ``before`` and ``after`` are small pictures. Names in ``by_hand`` were placed by hand where they come from; those
    in ``lacking`` rest on what was not found here. ``face`` is the number of the one it is meant for, 0 if for all.
    """

    class State(models.TextChoices):
        """How far it is; what is laid has its edit, but not its pictures yet."""

        WAITING = "waiting"
        LAID = "laid"
        DONE = "done"
        FAILED = "failed"

    class Verdict(models.TextChoices):
        """What the photographer said of it."""

        NONE = ""
        FITS = "fits"
        WORK = "needs work"
        UNDONE = "undone"

    carry_over = models.ForeignKey(CarryOver, models.CASCADE, related_name="portraits")
    portrait = models.ForeignKey(Portrait, models.CASCADE, related_name="carried")
    face = models.PositiveSmallIntegerField(default=0)
    state = models.CharField(max_length=12, choices=State.choices, default=State.WAITING)
    edit = models.ForeignKey(Edit, models.SET_NULL, null=True, related_name="+")
    by_hand = models.JSONField(default=list)
    lacking = models.JSONField(default=list)
    problem = models.TextField(blank=True)
    verdict = models.CharField(max_length=12, choices=Verdict.choices, default=Verdict.NONE, blank=True)
    before = models.FileField(upload_to=carried_place, blank=True, max_length=200)
    after = models.FileField(upload_to=carried_place, blank=True, max_length=200)

    class Meta:
        ordering = ("id",)
        constraints = (models.UniqueConstraint(fields=("carry_over", "portrait"), name="once_to_a_portrait"),)

    def __str__(self) -> str:
        return f"{self.carry_over} to {self.portrait}"
