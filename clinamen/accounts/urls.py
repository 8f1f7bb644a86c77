"""Sign-in, with Django's own accounts."""

from django.contrib.auth import views
from django.urls import path

from clinamen.accounts.views import demo, sign_up

urlpatterns = [
    path("sign-in/", views.LoginView.as_view(template_name="accounts/sign_in.html", redirect_authenticated_user=True),
         name="sign-in"),
    path("sign-up/", sign_up, name="sign-up"),
    path("sign-out/", views.LogoutView.as_view(), name="sign-out"),
    path("password/", views.PasswordChangeView.as_view(template_name="accounts/password.html", success_url="/password/done/"),
         name="password"),
    path("password/done/", views.PasswordChangeDoneView.as_view(template_name="accounts/password_done.html"),
         name="password-done"),
    path("demo/", demo, name="demo"),
]  # fmt: skip
