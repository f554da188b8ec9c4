"""OneRoster packages for the tests."""

import io
import zipfile

from bodkin.exchange.oneroster.files import ABSENT, FILES


def package(**files):
    """A package of a system that knows nothing of us; each file is text without sourcedId's companions."""
    made = io.BytesIO()
    with zipfile.ZipFile(made, "w") as archive:
        rows = "propertyName,value\nmanifest.version,1.0\noneroster.version,1.2\n"
        rows += "".join(f"file.{name},{'bulk' if name in files else 'absent'}\n" for name in (*FILES, *ABSENT))
        archive.writestr("manifest.csv", files.pop("manifest", rows))
        for name, text in files.items():
            archive.writestr(f"{name}.csv", text)
    return made.getvalue()


ROSTER = {
    "orgs": "sourcedId,status,dateLastModified,name,type,identifier,parentSourcedId\n"
    "d,,,Fenland,district,,\ns1,,,Reed School,school,01,d\ns2,,,Rush School,school,02,d\n",
    "academicSessions": "sourcedId,status,dateLastModified,title,type,startDate,endDate,parentSourcedId,schoolYear\n"
    "y,,,2026-2027,schoolYear,2026-08-24,2027-06-11,,2027\nt,,,Autumn,term,2026-08-24,2027-01-15,y,2027\n",
    "courses": "sourcedId,status,dateLastModified,schoolYearSourcedId,title,courseCode,grades,orgSourcedId,subjects,"
    'subjectCodes\nc1,,,y,Grade 4,G4,04,s1,"Mathematics",\nc2,,,y,Grade 4,G4,04,s2,,\n',
    "classes": "sourcedId,status,dateLastModified,title,grades,courseSourcedId,classCode,classType,location,"
    "schoolSourcedId,termSourcedIds,subjects,subjectCodes,periods\n"
    "k1,,,Room 4,04,c1,A,homeroom,,s1,t,,,\nk2,,,Room 4,04,c1,B,homeroom,,s1,t,,,\n"
    "k3,,,Room 4,04,c2,,scheduled,,s2,y,,,\n",
    "users": "sourcedId,status,dateLastModified,enabledUser,username,userIds,givenName,familyName,middleName,"
    "identifier,email,sms,phone,agentSourcedIds,grades,password,userMasterIdentifier,resourceSourcedIds,"
    "preferredGivenName,preferredMiddleName,preferredFamilyName,primaryOrgSourcedId,pronouns\n"
    'u1,,,true,ana,"{state:77},{local:9}",Ana,Zorro,,1001,,,,p1,04,,,,,,,s1,\n'
    "u2,,,true,bo,,Bo,Yew,,1002,,,,,04,,,,Bobby,,,s2,\n"
    "t1,,,true,mo,,Mo,Lark,,,,,,,,,,,,,,s1,\nt2,,,true,mo2,,Mo,Lark,,,,,,,,,,,,,,s2,\np1,,,true,pa,,Pa,Zorro,,,,,,,,,,,,,,s1,\n",
    "roles": "sourcedId,status,dateLastModified,userSourcedId,roleType,role,beginDate,endDate,orgSourcedId,"
    "userProfileSourcedId\nr1,,,u1,primary,student,,,s1,\nr2,,,u2,primary,student,2026-08-24,,s2,\n"
    "r3,,,t1,primary,teacher,,,s1,\nr4,,,t2,primary,principal,,,s2,\nr5,,,p1,primary,parent,,,s1,\n",
    "enrollments": "sourcedId,status,dateLastModified,classSourcedId,schoolSourcedId,userSourcedId,role,primary,"
    "beginDate,endDate\ne1,,,k1,s1,u1,student,,2026-08-24,\ne2,,,k3,s2,u2,student,,,\n"
    "e3,,,k1,s1,t1,teacher,true,,\ne4,,,k3,s2,t2,teacher,true,,\n",
    "demographics": "sourcedId,status,dateLastModified,birthDate,sex\nu1,,,2017-02-03,female\n",
}  # fmt: skip
